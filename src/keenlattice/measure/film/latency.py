"""Input latency from a film: of a lamp that shows the press, and the screen that answers."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import chain

import numpy as np

from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Floats
from keenlattice.measure.edges import Steps
from keenlattice.measure.film.areas import ANSWERED, UNASKED, best_pair, lit_areas, paired, peak_level, with_several
from keenlattice.measure.film.edges import edges
from keenlattice.measure.film.grid import Area, Window, light_of, windows
from keenlattice.measure.film.reader import Film, Progress
from keenlattice.measure.film.shown import Look, NotSure, as_stored, in_text, look_of
from keenlattice.measure.film.travel import Travel, travel_of
from keenlattice.measure.latency import SURE_RATIO, Doubt, Latency
from keenlattice.quickly import dataclass

SLOW_HZ = 100.0          # a film with fewer pictures a second may be slow motion
FASTEST_HZ = 100_000.0
SOUND_AGREES, SOUND_FROM_S = 0.05, 1.0
OVEREXPOSED = 0.97       # of white
LATE_MS, LATE_TIMES = 60.0, 5.0  # beyond the median: an answer that may be another press's, or none
CLEAN = 0.06             # how near to half-way between two pictures an edge falls that no picture saw half of
GRADUAL = 0.1            # of an interval: how late a screen's gradual rise is dated at most, by a line between pictures


@dataclass(frozen=True, eq=False)
class _Course:
    """The two areas of a film, as they are stored, what they look like, and the light of both in every picture; beside
    that some pictures with all cells, and when these were taken."""

    press: Area
    answer: Area
    look: Look
    at_ms: Floats
    lamp: Floats
    screen: Floats
    overexposed: tuple[str, ...]
    window: Window
    window_ms: Floats


def from_film(film: Film, shot_at_hz: float = 0.0, press: Area | None = None, answer: Area | None = None,
              readout_ms: float | None = None, progress: Progress | None = None) -> tuple[Latency, Look]:
    """Measure input latency in a film that shows a lamp at the button and the screen.

    Args:
        film: which.
        shot_at_hz: how many pictures a second it was filmed at, where the file claims fewer; 0 for what the file says.
        press, answer: where the lamp and the screen's answer are, in pixels of the film as it is shown; both or none.
        readout_ms: how long the camera takes to read one picture, from its first row to its last.
        progress: is called with how many pictures are read, and how many there are.

    Raises:
        NotSure: it cannot be told which areas are meant, whether the film is slow motion, or whether what was found
            are presses and answers; the message says what to do.
        CaptureError: the film cannot be read, or holds no press.
    """
    if (press is None) != (answer is None):
        raise CaptureError("one area alone was given: a film takes both the press's and the answer's, or neither")
    given = None if press is None or answer is None else (as_stored(press, film), as_stored(answer, film))
    course = _followed(film, shot_at_hz, given, progress)
    lamp, screen = edges(course.at_ms, course.lamp), edges(course.at_ms, course.screen)
    latency = _with_late(paired(lamp, screen))
    interval = float(np.median(np.diff(course.at_ms)))
    later_ms, unsure_ms = _readout(film, course, interval, readout_ms)
    middle = GRADUAL / 2 * interval  # how fast the screen is, is not known: half of that is taken off, half is unsure
    travel = _travel(course, latency)
    latency = replace(latency, press_ms=latency.press_ms + travel.later_ms,
                      answer_ms=latency.answer_ms + later_ms - middle)
    clean = max(_clean_share(lamp, course.at_ms), _clean_share(screen, course.at_ms))
    doubts = _doubtful(latency, film, course, interval)
    if doubts and given is None:
        raise NotSure(f"not sure of {film.path}: {'; '.join(doubts)}. {_advice(course.look)}", course.look)
    lasts = {"press_lasts_ms": round(travel.lasts_ms, 1)} if travel.lasts_ms else {}
    return replace(latency, half_width_ms=clean * interval, bias_ms=unsure_ms + middle + travel.lasts_ms / 2, about={
        **latency.about, **lasts, "source": film.path.name, "camera_hz": round(1000 / interval, 3),
        "pictures": course.at_ms.size, "press_area": in_text(course.look.areas["press"]),
        "answer_area": in_text(course.look.areas["answer"]),
        **({"unsure": doubts} if doubts else {})}), replace(
            course.look, at_ms=course.at_ms, lights={"press": course.lamp, "answer": course.screen})


def _followed(film: Film, shot_at_hz: float, given: tuple[Area, Area] | None, progress: Progress | None) -> _Course:
    """The light of both areas over the whole film, which is read once, or twice if they show late in it."""
    scale, pair, reasons, held = 0.0, given, list[str](), list[Window]()
    look = None
    stream = windows(film, progress)
    for number, window in enumerate(stream):
        scale = scale or _scale(film, window, shot_at_hz)
        look = look or look_of(film, window, {})
        if pair is None:
            at_ms = window.at_ms * scale
            areas = lit_areas(window, at_ms)
            best, reason = best_pair(window, at_ms, areas)
            if best is None:
                reasons.append(reason)
                look = look_of(film, window, dict(zip("ABCDEF", areas, strict=False))) if areas else look
                continue
            pair = (best.press, best.answer)
        held.append(window)
        if number > len(held) - 1:  # it began to show late: from the start again, now that it is known where
            stream, held = windows(film, progress), []
        look = look_of(film, window, {"press": pair[0], "answer": pair[1]})
        return _lights(pair, look, chain(held, stream), scale, window)
    if look is None:
        raise CaptureError(f"{film.path} holds no picture that can be read")
    raise NotSure(f"not sure where {film.path} shows the press and the answer: {reasons[0]}. {_advice(look)}", look)


def _travel(course: _Course, latency: Latency) -> Travel:
    """What moves at the presses that the window shows; no answer comes before its press."""
    answered = latency.press_ms[np.isfinite(latency.answer_ms)]
    travel = travel_of(course.window, course.window_ms, course.press, answered)
    return replace(travel, later_ms=min(travel.later_ms, float(np.min(latency.waits_ms, initial=np.inf)) / 2))


def _lights(pair: tuple[Area, Area], look: Look, stream: Iterator[Window], scale: float, shown: Window) -> _Course:
    at_ms, lamps, screens = list[Floats](), list[Floats](), list[Floats]()
    peaks = {"lamp": 0.0, "screen": 0.0}
    for window in stream:
        at_ms.append(window.at_ms * scale)
        for lights, name, area in ((lamps, "lamp", pair[0]), (screens, "screen", pair[1])):
            lights.append(light_of(window, area))
            peaks[name] = max(peaks[name], peak_level(window, area))
    return _Course(*pair, look, np.concatenate(at_ms), np.concatenate(lamps), np.concatenate(screens),
                  tuple(name for name, peak in peaks.items() if peak >= OVEREXPOSED),
                   shown, shown.at_ms * scale)


def _scale(film: Film, window: Window, shot_at_hz: float) -> float:
    """How many real milliseconds a millisecond of the file stands for."""
    if window.at_ms.size < 2:
        raise CaptureError(f"{film.path} holds one picture: a film of presses takes some seconds")
    claimed = 1000 / float(np.median(np.diff(window.at_ms)))
    rate = shot_at_hz or film.shot_at_hz
    if rate:
        if not 0.98 * claimed <= rate <= FASTEST_HZ:
            raise CaptureError(f"{film.path} has stamps for {claimed:.0f} pictures a second, and was shot at {rate:g}? "
                               "Say the rate that the camera was set to: --shot-at 240")
        return claimed / rate
    look = look_of(film, window, {})
    if film.sound_s >= SOUND_FROM_S and abs(film.seconds / film.sound_s - 1) > SOUND_AGREES:
        raise NotSure(f"not sure how fast {film.path} was shot: its pictures last {film.seconds:.1f} s, its sound "
                      f"{film.sound_s:.1f} s. Say how many pictures a second the camera took: --shot-at 240", look)
    if claimed < SLOW_HZ:
        raise NotSure(f"not sure how fast {film.path} was shot: it claims {claimed:.0f} pictures a second, and slow "
                      "motion often does. Say how many the camera took: --shot-at 240", look)
    return 1.0


def _readout(film: Film, course: _Course, interval: float, readout_ms: float | None) -> tuple[float, float]:
    """How much later the camera reads the row of the answer than that of the lamp, and how far off that may be; in ms.

    A camera reads rows one after the other, in a picture's interval at most. Where the time is not known, half of that
    is taken for granted.
    """
    if readout_ms is not None and not 0 <= readout_ms <= interval:
        raise CaptureError(f"a readout of {readout_ms:g} ms: a picture is read in {interval:.2f} ms at most, since the "
                           "next one begins then")
    rows = course.answer.y + course.answer.height / 2 - course.press.y - course.press.height / 2
    later = rows / film.height * (interval / 2 if readout_ms is None else readout_ms)
    return later, abs(later) if readout_ms is None else 0.0


def _clean_share(steps: Steps, at_ms: Floats) -> float:
    """The share of edges of which no picture saw a part: these are as coarse as the pictures are."""
    if not steps.at_ms.size:
        return 1.0
    index = np.clip(np.searchsorted(at_ms, steps.at_ms), 1, at_ms.size - 1)
    share = (steps.at_ms - at_ms[index - 1]) / (at_ms[index] - at_ms[index - 1])
    return float(np.mean(np.abs(share - 0.5) < CLEAN))


def _doubtful(latency: Latency, film: Film, course: _Course, interval: float) -> list[str]:
    """What speaks against the answers found, each as a clause."""
    presses, answered = latency.press_ms.size, latency.waits_ms.size
    late = sum("later" in doubt.what for doubt in latency.doubts)
    several = with_several(latency)
    result = [f"the {name} is overexposed, so that its times are off by up to {interval / 2:.1f} ms: film it darker"
              for name in course.overexposed]
    lasts_s = float(course.at_ms[-1] - course.at_ms[0]) / 1000
    if film.sound_s >= SOUND_FROM_S and not any(abs(length / film.sound_s - 1) <= SOUND_AGREES
                                                for length in (film.seconds, lasts_s)):
        result.append(f"its sound lasts {film.sound_s:.1f} s, its pictures {lasts_s:.1f} s at the rate that was said")
    if latency.misses + late + several > (1 - ANSWERED) * presses:
        result.append(f"of {presses} presses {latency.misses} have no answer, {several} several, and {late} one that "
                      "comes far later than the others")
    if latency.unasked > UNASKED * max(1, answered):
        result.append(f"{latency.unasked} changes of the screen come without a press")
    faint = sum("hardly" in doubt.what for doubt in latency.doubts)
    if faint > 0.1 * presses:
        result.append(f"{faint} answers hardly stand out of the noise (by {SURE_RATIO:g} times)")
    return result


def _with_late(latency: Latency) -> Latency:
    """The same with a doubt for each answer that comes far later than the others: a hitch, or another change."""
    waits = latency.waits_ms
    if not waits.size:
        return latency
    low, middle, high = np.quantile(waits, (0.25, 0.5, 0.75))
    beyond = latency.answer_ms - latency.press_ms > middle + max(LATE_MS, LATE_TIMES * (high - low) / 1.349)
    late = [Doubt(float(press), "its answer comes far later than the others: is it one?")
            for press in latency.press_ms[beyond]]
    return replace(latency, doubts=tuple(sorted([*latency.doubts, *late], key=lambda doubt: doubt.at_ms)))


def _advice(look: Look) -> str:
    areas = ", ".join(f"{name} {in_text(area)}" for name, area in look.areas.items())
    return ((f"The areas that change: {areas}. " if areas else "") + "Say where to look, in pixels of the film: "
            "--press X,Y,WIDTH,HEIGHT --answer X,Y,WIDTH,HEIGHT; --figure FILE draws a still with these areas")
