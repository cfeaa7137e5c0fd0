"""What a file of the kernel's holds."""

from pathlib import Path


def text_in(file: Path) -> str | None:
    """Its text, without blanks at either end; None if it is not there, or does not let itself be read."""
    try:
        return file.read_text(errors="replace").strip()
    except OSError:
        return None


def number_in(file: Path) -> int | None:
    """The whole number that it holds, from 0 up; None if it holds none."""
    text = text_in(file) or ""
    return int(text) if text.isdigit() else None
