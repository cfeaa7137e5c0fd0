"""The page file's bounds, as Windows keeps them: a line for each file, with its least and greatest size in MiB."""

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.rig.stored import StoredSetting, Texts
from keenlattice.rig.windows.values import LIST, TEXT, place, read, written

KEY = r"SYSTEM\CurrentControlSet\Control\Session Manager\Memory Management"
FILES = place("HKLM", KEY, "PagingFiles")
BY_SYSTEM = "by-system"
CHOSEN_BY_SYSTEM = r"?:\pagefile.sys"


def page_file() -> list[StoredSetting]:
    """The least and the greatest size of the first page file; others stay as they are."""
    return [_bound("memory.page-file-low", 0), _bound("memory.page-file-high", 1)]


def _bound(name: str, which: int) -> StoredSetting:
    def value(texts: Texts) -> Value | None:
        line = _lines(texts.get(FILES))
        sizes = _sizes(line[0]) if line else None
        return BY_SYSTEM if sizes is None else sizes[which]

    def texts(value: Value, held: Texts) -> Texts:
        lines = _lines(held.get(FILES))
        if value == BY_SYSTEM:
            return {FILES: _as_text([CHOSEN_BY_SYSTEM, *lines[1:]], held.get(FILES))}
        sizes = list((_sizes(lines[0]) if lines else None) or (int(value), int(value)))
        sizes[which] = int(value)
        sizes[1 - which] = max(sizes) if which == 0 else min(sizes)  # the other one gives way
        file = lines[0].rsplit(" ", 2)[0] if lines and _sizes(lines[0]) else r"C:\pagefile.sys"
        return {FILES: _as_text([f"{file} {sizes[0]} {sizes[1]}", *lines[1:]], held.get(FILES))}

    setting = catalog()[name]
    return StoredSetting(name, setting, value, texts, step="page file")


def _lines(text: str | None) -> list[str]:
    content = read(text)
    return [line for line in content if line] if isinstance(content, list) else [content] if isinstance(
        content, str) and content else []


def _sizes(line: str) -> tuple[int, int] | None:
    r"""Least and greatest size of a page file; None if the system chooses them.

    >>> _sizes(r"C:\pagefile.sys 4096 8192"), _sizes(r"?:\pagefile.sys"), _sizes(r"C:\pagefile.sys 0 0")
    ((4096, 8192), None, None)
    """
    *_, low, high = ["", *line.rsplit(" ", 2)] if line.count(" ") >= 2 else ["", "", ""]
    if not (low.isdigit() and high.isdigit()) or line.startswith("?"):
        return None
    return (int(low), int(high)) if int(high) else None


def _as_text(lines: list[str], before: str | None) -> str:
    """The lines, of the type that was there before: some systems keep one line as a text."""
    single = before is not None and isinstance(read(before), str)
    return written(TEXT, lines[0]) if single and len(lines) == 1 else written(LIST, lines)
