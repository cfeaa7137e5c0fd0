"""All that a logbook knows of a rig, as a site of plain files: for a browser, with no network."""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from keenlattice.blocks import Block, KeyFigure, Links, Pairs, Picture, Report, Table, Text
from keenlattice.errors import KeenLatticeError, UsageError, counted
from keenlattice.files import replace_file
from keenlattice.logbook.kept import studies
from keenlattice.profile.version import WHOLE_RIG, stock
from keenlattice.quickly import dataclass
from keenlattice.report.words import capital
from keenlattice.workspace._pages import context_of, finished_study, history_page, studies_with_page
from keenlattice.workspace.kept import listed
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.profile_results import Past, value_text
from keenlattice.workspace.profiles import Profiles
from keenlattice.workspace.result import Result
from keenlattice.workspace.status import Status, status_of

if TYPE_CHECKING:
    from keenlattice.report.graph import Node

HOME = "index.html"
OURS = "All pages of a logbook, written by Keen Lattice."
"""Stands in a site's first page, so that the next one may take its place."""
MOST_HAPPENED = 200  # rows
Progress = Callable[[int, int], None]


@dataclass(frozen=True, repr=False)
class Site(Result):
    """A site that was written: its first page, and how many pages it has."""

    SCHEMA: ClassVar[str] = "site"

    file: Path
    pages: int

    def _caption(self) -> str:
        return f"{counted(self.pages, 'page')}: {self.file}"


def write_site(opened: Opened, folder: Path, progress: Progress) -> Site:
    """Write all that the logbook knows of the rig into a folder.

    Args:
        folder: an empty one, a new one, or one that holds such a site, which is rewritten.
        progress: learns how many pages are written, of how many.

    Raises:
        UsageError: the folder holds something else.
        KeenLatticeError: it cannot be written.
    """
    _check_free(folder)
    status, numbers = status_of(opened), [study.number for study in studies_with_page(opened)]
    names = [profile.profile for profile in status.profiles]
    total = len(numbers) + len(names) + 2
    links: list[tuple[str, str, str]] = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for done, (title, name, page) in enumerate(_pages(opened, status, numbers)):
            progress(done, total)
            _write(folder / name, page)
            links.append((title, name, page.answer))
        _write(folder / HOME, _first(opened, status, links), "")
    except OSError as error:
        raise KeenLatticeError(f"cannot write into {folder}: {error.strerror}") from None
    progress(total, total)
    return Site(folder / HOME, total)


def _check_free(folder: Path) -> None:
    """Raise UsageError if a folder holds something that is not such a site."""
    first = folder / HOME
    if folder.is_file() or (folder.is_dir() and any(folder.iterdir()) and not (
            first.is_file() and OURS in first.read_text(encoding="utf-8", errors="replace"))):
        raise UsageError(f"{folder} holds something else: name a new folder, or an empty one")


def _pages(opened: Opened, status: Status, numbers: list[int]) -> Iterator[tuple[str, str, Report]]:
    """Yield title, file and content of each page but the first."""
    for profile in status.profiles:
        yield capital(profile.title), f"profile-{profile.profile}.html", _of_profile(opened, profile.profile,
                                                                                     profile.title, profile.on_rig)
    yield "The rig", "rig.html", _of_rig(opened)
    for number in numbers:
        study = finished_study(opened, number)
        page = study.report().content
        yield f"{study.kind.capitalize()} {number}: {page.title}", f"study-{number}.html", page


def _write(path: Path, page: Report, home: str = HOME) -> None:
    from keenlattice.report.html import to_html

    replace_file(path, to_html(page, home).encode())


def _of_profile(opened: Opened, profile: str, title: str, on_rig: str) -> Report:
    """Return the page of a profile: its versions as a graph, any two compared, and what its history tells."""
    from keenlattice.report.graph import version_graph

    history, catalog = Profiles(opened).history(profile).versions, opened.rig.catalog()
    nodes = [_node(past, on_rig) for past in history]
    pairs = Pairs([*((past.version.reference, {key: value_text(catalog, key, value) for key, value in
                                               past.version.entries.items()}) for past in history),
                   (stock(profile).reference, {})])
    words = "; ".join(f"{node.title} from {', '.join(node.parents) or 'stock'}" for node in nodes)
    graph = Picture("Versions, the newest on top; a filled square is on the rig", f"Versions of {title}. {words}.",
                    lambda: version_graph(nodes))
    content = history_page(opened, profile).content if profile != WHOLE_RIG else None
    rest = content.sections() if content else []
    keys = content.keys if content else [KeyFigure(
        f"{capital(title)} has {counted(len(history), 'version')}; {on_rig or 'none of them'} is on it.")]
    return Report(capital(title), keys, made=content.made if content else "", own=[
        ("Versions", [graph] if nodes else [Text("There is none yet.")]), ("Any two compared", [pairs]), *rest])


def _node(past: Past, on_rig: str) -> "Node":
    from keenlattice.report.graph import Node

    version, marks = past.version, ", ".join(past.marks)
    return Node(version.reference, [f"{version.profile}@{parent[:8]}" for parent in version.parents],
                version.reference.partition("@")[2] + f" ({marks})" * bool(marks),
                version.note or ", ".join(past.changes), version.reference == on_rig)


def _of_rig(opened: Opened) -> Report:
    """Return the page of the rig: its facts, what is clearly wrong, and what has slipped."""
    from keenlattice.report.context import the_rig

    context = context_of(opened, WHOLE_RIG, stock(WHOLE_RIG), stock(WHOLE_RIG))
    wrong = sum(finding.kind == "wrong" for finding in context.findings)
    slipped = sum(map(len, context.slipped.values()))
    answer = f"{counted(wrong, 'setting is', 'settings are')} clearly wrong; {slipped or 'none'} slipped."
    return Report(f"The rig {opened.rig_name}", [KeyFigure(capital(answer))],
                  own=[("The rig", the_rig(context)), ("What happened", _what_happened(opened))])


def _what_happened(opened: Opened) -> list[Block]:
    """Return what was applied, undone, played and measured on the rig, the newest first."""
    book, rig = opened.book, opened.rig_name
    words = {"apply": "applied", "adopt": "taken as it was"}
    rows = [[entry.time, words.get(entry.kind, entry.kind),
             f"{entry.profile} with {entry.what}" if entry.kind == "played" else entry.title]
            for entry in (*book.done_to(rig), *book.played(rig))]
    rows += [[study.time, study.kind, f"{study.of} (study {study.number})"]
             for study in map(listed, studies(book, rig))]
    if not rows:
        return [Text("Nothing has been applied, played or measured yet.")]
    newest = sorted(rows, reverse=True)
    blocks: list[Block] = [Table(["when", "what", ""], [[when[:16].replace("T", " "), *rest]
                                                         for when, *rest in newest[:MOST_HAPPENED]])]
    if len(newest) > MOST_HAPPENED:
        blocks.append(Text(f"and {len(newest) - MOST_HAPPENED} before that"))
    return blocks


def _first(opened: Opened, status: Status, pages: list[tuple[str, str, str]]) -> Report:
    """Return the first page: where the player stands, and all the others."""
    rows = [[profile.title, profile.on_rig or "nothing applied", profile.latest or "-",
             profile.verdicts or "not measured"] for profile in status.profiles]
    stands: list[Block] = [Table(["", "on the rig", "latest version", "measured"], rows)] if rows else []
    return Report(f"The rig {opened.rig_name}", [KeyFigure(f"Next: {status.next_step}.", "", "Next",
                                                           status.next_step, status.why)], own=[
        ("Where you stand", stands or [Text("Nothing has been changed or measured yet.")]),
        ("All pages", [Links(pages)]),
        ("What this is", [Text(OURS), Text("It shows the logbook as it was when the pages were written, and needs no "
                                           "network.")])])
