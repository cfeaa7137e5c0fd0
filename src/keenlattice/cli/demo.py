"""`keen demo`: the whole story, once, on made-up or on real ground."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.cli.stories import Story
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.version import Version
    from keenlattice.trial.result import TrialResult


def demo(
    rig: Annotated[str, typer.Option("--rig", help="standin, or linux for this machine.")] = "standin",
    out: Annotated[Path | None, typer.Option("--out", help="Folder for what it leaves.  [default: ./keen-demo]"
                                             )] = None,
) -> None:
    """Tell the whole story: survey, baseline, one edit, apply, a measured verdict, undo."""
    from keenlattice.cli.output import say
    from keenlattice.cli.session import begin
    from keenlattice.cli.stories import STORIES
    from keenlattice.errors import UsageError
    from keenlattice.rig.find import home_of
    from keenlattice.rig.journal import fingerprint

    home_of(rig, Path())  # an unknown rig is said before a folder is made
    if rig not in STORIES:
        raise UsageError("there is nothing to show on a rig that is changed by hand; choose --rig standin or linux")
    if rig == "linux":
        from keenlattice.rig.linux.play import check_installed

        check_installed()
    folder, story = _new_folder(out), STORIES[rig]
    session = begin(folder / "logbook", rig)
    _survey(session)
    _heading(2, "A way back, and where we start")
    at_first = fingerprint(session.rig.state())
    say(f"Restore point: all that the rig's settings are kept in, as it stands (fingerprint {at_first[:8]}).")
    start = session.book.commit(story.game, {}, note="as it was", author="demo")
    _baseline(session, story)
    try:
        edited = _edit_and_apply(session, story, start)
        result, captures = _measure(session, story, start, edited)
        _rumour(session, story, edited)
    finally:  # also if the player has seen enough and presses Ctrl-C
        _go_back(session, at_first)
    _where_it_is(session, folder, result, captures)


def _new_folder(out: Path | None) -> Path:
    from keenlattice.errors import UsageError

    if out is not None:
        if out.exists() and (not out.is_dir() or any(out.iterdir())):
            raise UsageError(f"{out} is there already and not empty; name another folder with --out")
        return out
    number = 1
    while (folder := Path(f"keen-demo{f'-{number}' if number > 1 else ''}")).exists():
        number += 1
    return folder


def _heading(number: int, title: str) -> None:
    from keenlattice.cli.output import say

    say(f"\n{number}. {title}", "bold")


def _survey(session: "Session") -> None:
    from keenlattice.cli.survey import show_findings, show_rig_briefly

    _heading(1, "The rig, and what is plainly wrong with it")
    show_rig_briefly(session)
    show_findings(session.findings(session.effective(session.find("rig@now"))))


def _baseline(session: "Session", story: "Story") -> None:
    from keenlattice.cli.output import say
    from keenlattice.measure.metrics import metrics_of

    capture = session.rig.play(story.game, story.seconds, seed=1)
    session.book.keep_capture(capture, session.rig.name, story.game, "stock")
    numbers = metrics_of(capture)
    say(f"Baseline: one run of {story.seconds:g} s: {numbers['frame_ms_mean']:.1f} ms a frame "
        f"({numbers['fps_mean']:.0f} fps), {numbers['latency_ms_median']:.0f} ms from click to screen.")
    say("One run describes; it proves nothing. Two single runs differ even if nothing was changed.", "dim")


def _edit_and_apply(session: "Session", story: "Story", start: "Version") -> "Version":
    from keenlattice.catalog.values import written
    from keenlattice.cli.changes import show_changes
    from keenlattice.cli.output import say
    from keenlattice.profile.compare import changes
    from keenlattice.rig.apply import apply

    _heading(3, f"One change for {story.game}: {story.why}")
    edited = session.book.commit(story.game, story.edit, note=story.why, author="demo", parents=[start])
    typed = " ".join(f"{key}={written(value)}" for key, value in story.edit.items())
    say(f"$ keen edit {story.game} {typed}", "dim")
    show_changes(session.rig.catalog(), changes(start.entries, edited.entries), "before", "after")
    for key in story.edit:
        say(f"What it trades: {session.rig.catalog()[key].trades}")
    say(f"$ keen apply {story.game}", "dim")
    apply(session.rig, session.book, edited)
    say(f"Applied {edited.reference}, and read back: it took.")
    return edited


def _measure(session: "Session", story: "Story", start: "Version",
             edited: "Version") -> "tuple[TrialResult, dict[str, list[Capture]]]":
    from keenlattice.cli.output import say
    from keenlattice.cli.trial import run_and_keep, show_result
    from keenlattice.trial.plan import Plan

    _heading(4, "Did it help? Both versions in turn, in blocks, in random order")
    say(f"{story.blocks} blocks of one {story.seconds:g} s run of either. {story.pace}", "dim")
    plan = Plan(story.blocks, story.seconds, 1, story.decides, story.matters_pct)
    result, captures = run_and_keep(session, start, edited, plan, None)
    show_result(result)
    return result, captures


def _rumour(session: "Session", story: "Story", edited: "Version") -> None:
    from keenlattice.catalog.values import written
    from keenlattice.cli.output import VERDICT_STYLES, say
    from keenlattice.cli.trial import run_and_keep
    from keenlattice.report.words import sentence
    from keenlattice.trial.plan import Plan

    _heading(5, f"And the other tip, {story.rumour_why}?")
    with_rumour = session.book.commit(story.game, {**edited.entries, **story.rumour}, note=story.rumour_why,
                                      author="demo", parents=[edited])
    say(", ".join(f"{key} = {written(value)}" for key, value in story.rumour.items()) + ", measured in the same way:")
    plan = Plan(story.blocks, story.seconds, 2, story.decides, story.matters_pct)
    result, _ = run_and_keep(session, edited, with_rumour, plan, None)
    frame, latency = result["frame_ms_mean"], result["latency_ms_median"]
    for one in (frame, latency):
        say(sentence(one, story.matters_pct), VERDICT_STYLES[one.verdict])
    if {frame.verdict, latency.verdict} == {"no difference that matters"}:
        say("So it does nothing that matters, and that is shown, not assumed: leave it out.")


def _go_back(session: "Session", at_first: str) -> None:
    from keenlattice.cli.output import say
    from keenlattice.rig.journal import fingerprint
    from keenlattice.rig.undo import undo

    if session.book.last_apply(session.rig_name) is None:  # stopped before it came to that
        return
    _heading(6, "Back to where we started")
    say("$ keen undo", "dim")
    undo(session.rig, session.book)
    now = fingerprint(session.rig.state())
    say(f"The rig is byte for byte as it was (fingerprint {now[:8]})." if now == at_first else
        f"The rig is not as it was: fingerprint {now[:8]}, and it was {at_first[:8]}.")


def _where_it_is(session: "Session", folder: Path, result: "TrialResult",
                 captures: "dict[str, list[Capture]]") -> None:
    from keenlattice.cli.gathering import history_of
    from keenlattice.cli.output import hint, say
    from keenlattice.cli.report import write_report
    from keenlattice.cli.trial import draw

    figure = folder / f"{result.game}.png"
    draw(result, captures, figure)
    page = folder / f"{result.game}.html"
    write_report(history_of(session, result.game), page)
    say(f"\nfigure    {figure}\npage      {page}\nlogbook   {folder / 'logbook'}")
    hint(f"open that page; or look around in what this left: keen history {result.game} --book {folder / 'logbook'} "
        f"--rig {'linux' if result.rig == 'linux' else 'standin'}")
