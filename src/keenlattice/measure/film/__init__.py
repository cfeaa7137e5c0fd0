"""Films: input latency from a film that shows the press and the screen, and frames from a recording of the screen."""

from pathlib import Path

SUFFIXES = (".mp4", ".m4v", ".mov", ".mkv", ".webm", ".avi")


def is_film(path: Path) -> bool:
    """Whether a file is a film, by its name."""
    return path.suffix.lower() in SUFFIXES
