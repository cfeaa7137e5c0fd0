"""Which window or screen is a game's, whether it can be seen, and which mode it is in: by made-up X servers and Wayland
compositors, so that each case is known, and by no driver."""

from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from types import SimpleNamespace
from typing import Any

import pytest

from keenlattice.errors import RefusedByRig, RigError
from keenlattice.rig.linux import seen
from keenlattice.rig.linux.program import Running
from keenlattice.rig.linux.recorder import Clicks
from keenlattice.rig.linux.x11.windows import Windows
from test_recorder_parts import Clock

pytest.importorskip("pywayland")
pytest.importorskip("Xlib")
from Xlib import X, error

from keenlattice.rig.linux.wayland import outputs as monitors
from keenlattice.rig.linux.wayland import probe
from keenlattice.rig.linux.wayland.compositor import FULLSCREEN, MINIMISED, Output, Toplevel
from keenlattice.rig.linux.x11 import probe as x11_probe


class Gone(error.BadWindow):  # type: ignore[misc]
    """What a server says of a window that is no longer there."""

    def __init__(self) -> None:
        self._data = {"type": "made up"}


@dataclass(eq=False)
class MadeUp:
    """A window of a made-up X server, at a place within its parent; what lies higher comes later among `children`."""

    id: int
    left: int = 0
    top: int = 0
    width: int = 100
    height: int = 80
    process: int = 0
    says: int = 0                     # its process, as the program says of itself
    viewable: bool = True
    drawn_into: bool = True           # a window that only takes input shows nothing
    gone: bool = False
    children: list["MadeUp"] = field(default_factory=list)
    parent: "MadeUp | None" = None

    def query_tree(self) -> SimpleNamespace:
        self._there()
        return SimpleNamespace(children=self.children, parent=self.parent)

    def get_attributes(self) -> SimpleNamespace:
        self._there()
        return SimpleNamespace(map_state=X.IsViewable if self.viewable else X.IsUnmapped,
                               win_class=X.InputOutput if self.drawn_into else X.InputOnly)

    def get_geometry(self) -> SimpleNamespace:
        self._there()
        return SimpleNamespace(width=self.width, height=self.height)

    def get_full_property(self, _atom: int, _kind: int) -> SimpleNamespace | None:
        return SimpleNamespace(value=[self.says]) if self.says else None

    def translate_coords(self, _root: object, x: int, y: int) -> SimpleNamespace:
        left, top, window = x, y, self
        while window is not None:
            left, top, window = left + window.left, top + window.top, window.parent  # type: ignore[assignment]
        return SimpleNamespace(x=-left, y=-top)  # the root's corner, seen from the window

    def _there(self) -> None:
        if self.gone:
            raise Gone


def display_of(*windows: MadeUp, knows_processes: bool = True, frames: dict[int, int] | None = None) -> Windows:
    """The windows of a made-up display."""
    root = MadeUp(1, width=800, height=600, children=list(windows))
    by_id = {one.id: one for window in windows for one in (window, *window.children)}
    made = Windows.__new__(Windows)
    made._display = SimpleNamespace(
        screen=lambda: SimpleNamespace(root=root), intern_atom=lambda name: 5,
        has_extension=lambda name: knows_processes and name == "X-Resource",
        res_query_client_ids=lambda asked: SimpleNamespace(ids=[SimpleNamespace(value=[]), *(
            [SimpleNamespace(value=[by_id[asked[0]["client"]].process])] if asked[0]["client"] in by_id else [])]))
    made._count_frames = lambda windows, seconds: Counter(frames or {})  # type: ignore[method-assign]
    for parent in (root, *windows):
        for child in parent.children:
            child.parent = parent
    return made


def found(display: Windows, *processes: int) -> int:
    return int(display.find(lambda: set(processes), 0.05, lambda: True).id)


def test_a_games_window_is_found_by_its_process_even_within_a_frame() -> None:
    game, other = MadeUp(11, process=7), MadeUp(12, process=8)
    assert found(display_of(other, game), 7, 9) == 11
    assert found(display_of(MadeUp(20, process=3, children=[game]), other), 7) == 11  # in the window manager's frame
    assert found(display_of(MadeUp(13, says=7), other, knows_processes=False), 7) == 13  # by its own word
    assert display_of(game).shows({7}) and not display_of(game).shows({8})
    assert not display_of(MadeUp(11, process=7, viewable=False)).shows({7})


def test_of_several_windows_that_which_shows_most_is_the_games() -> None:
    small, large = MadeUp(11, process=7, width=100), MadeUp(12, process=7, width=300)
    assert found(display_of(small, large, frames={11: 40, 12: 20}), 7) == 12  # frames times area
    assert found(display_of(small, large, frames={11: 70, 12: 20}), 7) == 11
    assert found(display_of(large, small), 7) == 12                           # nothing is drawn: the largest
    assert found(display_of(MadeUp(11, process=7), MadeUp(14, process=7)), 7) == 14  # of equals the topmost
    helper = MadeUp(15, process=7, width=1, height=1)
    assert found(display_of(helper, large, MadeUp(16, process=7, drawn_into=False), MadeUp(17, process=7, gone=True)),
                 7) == 12


@pytest.mark.parametrize(("windows", "alive", "says"), [
    ([MadeUp(11, process=7, viewable=False)], True, "is it minimised"),
    ([MadeUp(11, process=8)], True, "by other means than X11"),
    ([MadeUp(11, process=7, width=1, height=1, viewable=False)], True, "by other means than X11"),
    ([MadeUp(11, process=7)], False, "it ended at once")])
def test_a_window_that_is_not_found_is_said_to_be_so(windows: list[MadeUp], alive: bool, says: str) -> None:
    with pytest.raises(RigError, match=says):
        display_of(*windows).find(lambda: {7}, 0.05, lambda: alive)


@pytest.mark.parametrize(("above", "looked_at", "clicked", "says"), [
    ([], (0, 0), (99, 79), ""), ([MadeUp(12, 90, 0, 300, 300)], (39, 40), None, ""),
    ([MadeUp(12, 90, 0, 300, 300)], (40, 40), None, "covers the place that is looked at"),
    ([MadeUp(12, 0, 0, 60, 40)], None, (9, 19), "covers the place that is clicked"),
    ([MadeUp(12, 0, 0, 60, 40)], (10, 19), (9, 20), ""),
    ([MadeUp(12, 0, 0, 400, 400)], None, None, "is covered by other windows"),
    ([MadeUp(12, 0, 0, 400, 400, viewable=False), MadeUp(13, 0, 0, 400, 400, drawn_into=False),
      MadeUp(14, 0, 0, 400, 400, gone=True)], (5, 5), None, ""),
    ([], (100, 0), None, "outside of the game's window, which is 100 by 80"), ([], None, (0, 80), "outside"),
    ([], (-1, 0), None, "outside")])
def test_what_other_windows_leave_of_it_can_be_measured(
        above: list[MadeUp], looked_at: tuple[int, int] | None, clicked: tuple[int, int] | None, says: str) -> None:
    game = MadeUp(11, 50, 20)
    display = display_of(MadeUp(10, 0, 0, 400, 400), game, *above)  # what lies below it covers nothing
    if not says:
        display.check_seen(game, looked_at, clicked)
        return
    with pytest.raises(RigError, match=says):
        display.check_seen(game, looked_at, clicked)


# Which way a game is recorded.

@pytest.mark.parametrize(("display", "compositor", "shown", "connected", "way"), [
    (":1", "", [], False, "x11"), ("", "wayland-1", [], False, "wayland"),
    ("broken", "wayland-1", [], False, "wayland"), (":1", "wayland-1", [False, True], True, "x11"),
    (":1", "wayland-1", [], True, "wayland"), (":1", "wayland-1", [], False, "x11")])
def test_a_game_is_recorded_by_x11_if_it_has_a_window_there_else_by_wayland(
        monkeypatch: pytest.MonkeyPatch, display: str, compositor: str, shown: list[bool], connected: bool,
        way: str) -> None:
    clock, closed, looks = Clock(), list[str](), iter(shown)
    began = clock.now

    def opened(name: str) -> SimpleNamespace:
        if name == "broken":
            raise RigError("no such display")
        return SimpleNamespace(way="x11", shows=lambda processes: next(looks, False),
                               close=lambda: closed.append("x11"))

    monkeypatch.setattr(seen, "time", clock)
    monkeypatch.setattr(x11_probe, "Probe", opened)
    monkeypatch.setattr(probe, "WaylandProbe", lambda name: SimpleNamespace(
        way="wayland", name=name, close=lambda: closed.append("wayland")))
    monkeypatch.setattr(seen, "is_connected", lambda processes, name: connected and name == "wayland-1")
    game = SimpleNamespace(alive=lambda: True, processes=lambda: {7})
    with seen.recorder_of(game, display, compositor, 5.0) as recorder:  # type: ignore[arg-type]
        assert recorder.way == way  # type: ignore[attr-defined]
        assert "x11" not in closed or way == "wayland"
    assert closed[-1] == way
    if shown == [] and display == ":1" and compositor:
        waited = clock.now - began  # two seconds connected, or all that there are
        assert waited == pytest.approx(2.05 if connected else 5.0, abs=0.06)


def test_a_game_of_which_no_process_is_left_is_not_alive() -> None:
    assert Running((), ours=False).alive() is False


# What a Wayland compositor tells.

def screen(**other: Any) -> Output:
    return Output(**{"id": 3, "proxy": object(), "width": 800, "height": 600, "refresh_hz": 60.0, **other})


def frames_of(shown: list[float], new: list[int] | None = None, late_s: float = 0.001,
              awaited_s: float = 0.01) -> probe.Frames:
    copied = [bytes([place >= 4]) for place in range(len(shown))]
    awaited, told = [one - awaited_s for one in shown], [one + late_s for one in shown]
    return probe.Frames(shown, awaited, told, new or [480_000] * len(shown), copied)


def test_a_click_is_answered_by_the_first_frame_after_it_that_differs() -> None:
    frames, clicks = frames_of([10 + place / 60 for place in range(8)]), Clicks(1, 1e9)
    clicks.send(10 + 2.5 / 60)
    assert probe._answers(frames, 0, clicks) == 8 and clicks.answered == [pytest.approx(10 + 4 / 60)]
    clicks.send(10 + 6 / 60)
    assert probe._answers(frames, 8, clicks) == 8 and clicks.waiting
    early = Clicks(1, 1e9)
    early.send(10 + 4 / 60)  # what changed at that moment cannot be its answer
    probe._answers(frames, 0, early)
    assert early.waiting


def test_what_a_compositor_says_of_frames_is_a_capture() -> None:
    shown = [50 + place / 60 for place in range(30)]
    clicks = Clicks(1, 1e9)
    clicks.sent, clicks.answered = [50.1], [50.15]
    found = probe._capture(frames_of(shown), clicks, 59.951, {"others_shown": False})
    assert found.about == {"clock_start_s": 50.0, "recorded_by": "screen copy", "refresh_hz": 59.95,
                           "others_shown": False, "missed_share": 0.0}
    assert found.frame_ms == pytest.approx([1000 / 60] * 29)
    assert (found.click_ms[0], found.answer_ms[0]) == pytest.approx((100.0, 150.0))
    beside = [480_000, 100] * 15  # a clock beside the game, as often
    assert probe._capture(frames_of(shown, beside), clicks, 60.0, {}).frame_ms == pytest.approx([1000 / 30] * 14)
    slow = [50 + place / 30 for place in range(30)]  # as fast as the game is, or every other frame unseen
    for awaited_s, missed in ((0.03, 0.0), (0.01, 0.4915)):
        frames = frames_of(slow, awaited_s=awaited_s)
        assert probe._capture(frames, clicks, 60.0, {}).about["missed_share"] == missed
    assert "missed_share" not in probe._capture(frames_of(shown), clicks, 0.0, {}).about
    with pytest.raises(RigError, match="no new frames"):
        probe._capture(frames_of([50.0]), clicks, 60.0, {})
    with pytest.raises(RigError, match="clock is not this machine's"):
        probe._capture(frames_of(shown, late_s=6.0), clicks, 60.0, {})


def wayland(toplevels: list[Toplevel] | None = None, outputs: list[Output] | None = None) -> probe.WaylandProbe:
    made = probe.WaylandProbe.__new__(probe.WaylandProbe)
    made._compositor = SimpleNamespace(toplevels=lambda: toplevels, outputs=outputs or [])  # type: ignore[assignment]
    made._clicks_offered = False
    return made


def test_places_on_a_screen_are_its_pixels_however_it_is_scaled_or_turned() -> None:
    made = wayland()
    assert made.size_of(screen()) == (800, 600) and made.size_of(screen(turned=True)) == (600, 800)
    assert made._logical(screen(logical=(400, 300)), (799, 301)) == (399, 150)
    assert made._logical(screen(), (799, 301)) == (799, 301)
    assert made._logical(screen(turned=True, logical=(300, 400)), (301, 799)) == (150, 399)
    made.check_seen(screen(), (0, 0), (799, 599))
    for outside in ((800, 0), (0, 600), (-1, 3)):
        with pytest.raises(RigError, match="outside of the screen, which is 800 by 600"):
            made.check_seen(screen(), None, outside)
    with pytest.raises(RigError, match="lets no program click"):
        made.point_at(screen(), (1, 1))


def test_other_windows_on_the_screen_are_a_reason_for_doubt() -> None:
    game, other = Toplevel({3}), Toplevel({3})
    assert wayland(None)._others(screen()) is None and wayland([game])._others(screen()) is False
    assert wayland([game, other])._others(screen()) is True
    for one in (Toplevel({3}, frozenset({MINIMISED})), Toplevel({4})):
        assert wayland([game, one])._others(screen()) is False
    assert wayland([Toplevel({3}, frozenset({FULLSCREEN})), other])._others(screen()) is False


def test_the_screen_that_is_on_is_the_games_and_none_is_said_so() -> None:
    off, on = screen(width=0), screen(id=4)
    assert wayland(outputs=[off, on]).find(set, 1.0, lambda: True) is on
    with pytest.raises(RigError, match="no screen that is on"):
        wayland(outputs=[off]).find(set, 1.0, lambda: True)


class Proxy:
    """An object of a made-up compositor: keeps what is asked of it, and tells what it is given to tell."""

    def __init__(self, asked: list[tuple[str, tuple[Any, ...]]], name: str) -> None:
        self.asked, self.name, self.dispatcher = asked, name, dict[str, Callable[..., None]]()

    def tell(self, event: str, *words: Any) -> None:
        self.dispatcher[event](self, *words)


def head_of(asked: list[tuple[str, tuple[Any, ...]]], name: str, at: tuple[int, int], modes: list[tuple[int, int, int]],
            on: int | None, preferred: int = -1) -> monitors._Head:
    compositor, proxy = SimpleNamespace(given=lambda proxy: None), Proxy(asked, name)
    head = monitors._heard(compositor, proxy)  # type: ignore[arg-type]
    proxy.tell("name", name)
    proxy.tell("position", *at)
    proxies = [Proxy(asked, f"{name} mode {place}") for place in range(len(modes))]
    for place, (mode, (width, height, mhz)) in enumerate(zip(proxies, modes, strict=True)):
        proxy.tell("mode", mode)
        mode.tell("size", width, height)
        mode.tell("refresh", mhz)
        if place == preferred:
            mode.tell("preferred")
    proxy.tell("enabled", on is not None)
    if on is not None:
        proxy.tell("current_mode", proxies[on])
    return head


MODES = [(1280, 720, 60_000), (1920, 1080, 59_951), (1920, 1080, 59_951), (1920, 1080, 143_976)]


def test_the_monitor_at_the_upper_left_corner_is_told_of() -> None:
    left = head_of([], "HERON-1", (0, 0), MODES, on=0, preferred=3)
    right = head_of([], "HERON-2", (1280, 0), MODES, on=1)
    off = head_of([], "HERON-3", (-5, 0), MODES, on=None)
    told = monitors._monitor([off, right, left])
    assert told is not None and (told.name, told.on.text, told.preferred) == ("HERON-1", "1280x720@60.00", "1920x1080")
    assert [mode.text for mode in told.modes] == ["1280x720@60.00", "1920x1080@59.95", "1920x1080@143.98"]
    assert not told.alone and monitors._monitor([off]) is None
    alone = monitors._monitor([off, right])
    assert alone is not None and alone.alone and (alone.name, alone.preferred) == ("HERON-2", "1920x1080")


@pytest.mark.parametrize(("says", "text", "error_says"), [
    ("succeeded", "1920x1080@143.98", ""), ("failed", "1920x1080@143.98", "does not take the mode 1920x1080@143.98$"),
    ("cancelled", "1920x1080@143.98", "something else changed the monitors meanwhile"),
    ("", "1920x1080@143.98", "does not take"), ("succeeded", "800x600@60.00", "HERON-1 has no mode 800x600@60.00 now"),
    ("off", "1920x1080@143.98", "no monitor on now")])
def test_a_mode_is_turned_on_and_the_other_monitors_are_left_alone(
        monkeypatch: pytest.MonkeyPatch, says: str, text: str, error_says: str) -> None:
    asked: list[tuple[str, tuple[Any, ...]]] = []
    heads = [head_of(asked, "HERON-2", (1280, 0), MODES, on=1), head_of(asked, "HERON-3", (0, 0), MODES, on=None)]
    heads += [] if says == "off" else [head_of(asked, "HERON-1", (0, 0), MODES, on=0)]
    if says == "off":
        heads[0].enabled = False
    made = Proxy(asked, "configuration")

    def ask(proxy: Proxy, what: str, *words: Any) -> Proxy:
        asked.append((what, (proxy.name, *(getattr(word, "name", word) for word in words))))
        return made if what == "create_configuration" else Proxy(asked, f"{what} {getattr(words[0], 'name', '')}"
                                                                 if words else what)

    def wait_for(happened: Callable[[], object], seconds: float) -> bool:
        if says in made.dispatcher:
            made.tell(says)
        return bool(happened())

    @contextmanager
    def told(self: monitors.Outputs) -> Iterator[Any]:
        yield SimpleNamespace(wait_for=wait_for), Proxy(asked, "manager"), heads, 41

    monkeypatch.setattr(monitors, "ask", ask)
    monkeypatch.setattr(monitors.Outputs, "_asked", told)
    if error_says:
        with pytest.raises(RefusedByRig, match=error_says):
            monitors.Outputs("made-up").turn_on(text)
        assert bool(asked) == ("now" not in error_says)  # what cannot be is not asked for
        return
    monitors.Outputs("made-up").turn_on(text)
    assert asked == [
        ("create_configuration", ("manager", 41)), ("enable_head", ("configuration", "HERON-2")),
        ("disable_head", ("configuration", "HERON-3")), ("enable_head", ("configuration", "HERON-1")),
        ("set_mode", ("enable_head HERON-1", "HERON-1 mode 3")), ("apply", ("configuration",))]
