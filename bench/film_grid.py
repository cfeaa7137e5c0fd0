"""How well presses are found over a grid of films, and new pictures told, written into docs/films.md: `make films`."""

import itertools
import tempfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from bench.films import Desk, Screen, film_of_a_desk, film_of_a_screen
from keenlattice.errors import CaptureError
from keenlattice.measure.film.latency import from_film
from keenlattice.measure.film.reader import look_at
from keenlattice.measure.film.screen import frames_of

PAGE = Path(__file__).parent.parent / "docs" / "films.md"
MARK = "<!-- the grid, made by `make films` -->"
PRESSES, NEAR_PICTURES = 100, 3.0
HEVC = {"crf": "27", "preset": "ultrafast", "x265-params": "log-level=0"}
VP9 = {"crf": "36", "b:v": "0", "cpu-used": "8", "deadline": "realtime"}
PLAIN = Desk(presses=PRESSES, panel_ms=1.0)
DESKS: dict[str, tuple[Desk, dict[str, Any], str]] = {
    "plain": (PLAIN, {}, ".mp4"),
    "60 a second": (replace(PLAIN, rate=60), {"shot_at_hz": 60.0}, ".mp4"),
    "120 a second": (replace(PLAIN, rate=120), {}, ".mp4"),
    "480 a second": (replace(PLAIN, rate=480), {}, ".mp4"),
    "960 a second": (replace(PLAIN, rate=960), {}, ".mp4"),
    "claims 30, shot at 240": (replace(PLAIN, claimed=30.0), {"shot_at_hz": 240.0}, ".mp4"),
    "its rate wavers": (replace(PLAIN, wavers=0.25), {}, ".mp4"),
    "shutter open for 10 %": (replace(PLAIN, shutter=0.1), {}, ".mp4"),
    "shutter always open": (replace(PLAIN, shutter=1.0), {}, ".mp4"),
    "a panel of 4 ms": (replace(PLAIN, panel_ms=4.0), {}, ".mp4"),
    "a panel of 10 ms": (replace(PLAIN, panel_ms=10.0), {}, ".mp4"),
    "noise of 12 levels": (replace(PLAIN, noise=12.0), {}, ".mp4"),
    "noise of 25 levels": (replace(PLAIN, noise=25.0), {}, ".mp4"),
    "dim: a fifth of the light": (replace(PLAIN, lamp=0.1, screen=0.1), {}, ".mp4"),
    "a hand that shakes": (replace(PLAIN, shake=2.0), {}, ".mp4"),
    "room light at 100 Hz": (replace(PLAIN, flicker=(100.0, 0.5)), {}, ".mp4"),
    "room light at 120 Hz": (replace(PLAIN, flicker=(120.0, 0.5)), {}, ".mp4"),
    "screen dimmed by pulses at 960 Hz": (replace(PLAIN, backlight=(960.0, 0.9)), {}, ".mp4"),
    "exposure follows": (replace(PLAIN, adapts=True), {}, ".mp4"),
    "rows read in 3.5 ms, said": (replace(PLAIN, readout=0.84), {"readout_ms": 3.5}, ".mp4"),
    "rows read in 3.5 ms, not said": (replace(PLAIN, readout=0.84), {"readout_ms": None}, ".mp4"),
    "a lamp that toggles": (replace(PLAIN, toggles=True), {}, ".mp4"),
    "lit as long as it is held": (replace(PLAIN, holds=True), {}, ".mp4"),
    "no lamp: a key that takes 10 ms": (replace(PLAIN, travel_ms=10.0), {}, ".mp4"),
    "a key that takes 30 ms": (replace(PLAIN, travel_ms=30.0), {}, ".mp4"),
    "a key that takes 45 ms": (replace(PLAIN, travel_ms=45.0), {}, ".mp4"),
    "10 presses bounce": (replace(PLAIN, bounces=10), {}, ".mp4"),
    "10 presses unanswered": (replace(PLAIN, missed=10), {}, ".mp4"),
    "strong compression": (replace(PLAIN, options={"crf": "38", "preset": "ultrafast"}), {}, ".mp4"),
    "HEVC": (replace(PLAIN, codec="libx265", options=HEVC), {}, ".mp4"),
    "HEVC, 10 bit": (replace(PLAIN, codec="libx265", pixels="yuv420p10le", options=HEVC), {}, ".mp4"),
    "VP9": (replace(PLAIN, codec="libvpx-vp9", options=VP9), {}, ".webm"),
    "MJPEG": (replace(PLAIN, codec="mjpeg", pixels="yuvj420p", options={"q:v": "6"}), {}, ".avi"),
    "an overexposed lamp": (replace(PLAIN, lamp=4.0), {}, ".mp4"),
    "pulses near the camera's rate": (replace(PLAIN, backlight=(237.0, 0.9), shutter=0.3), {}, ".mp4"),
}
SCREENS = {
    "45 frames a second, recorded at 60": Screen(), "30 frames a second": Screen(fps=30),
    "57 frames a second": Screen(fps=57), "20 frames a second": Screen(fps=20),
    "as fast as the recorder": Screen(fps=60), "with hitches of 200 ms": Screen(hitches=8),
    "strong compression": Screen(options={"crf": "35", "preset": "ultrafast"}),
    "very strong compression": Screen(options={"crf": "45", "preset": "ultrafast"}),
    "noise of 4 levels": Screen(noise=4.0), "noise of 10 levels": Screen(noise=10.0), "slow scene": Screen(speed=25.0),
    "a cursor in every picture": Screen(cursor=True), "nothing moves for 3 s": Screen(still=(4.0, 7.0)),
    "HEVC": Screen(codec="libx265", options=HEVC),
    "HEVC, 10 bit": Screen(codec="libx265", pixels="yuv420p10le", options=HEVC),
    "VP9": Screen(codec="libvpx-vp9", options=VP9), "lossless": Screen(codec="ffv1", options={}),
    "MJPEG": Screen(codec="mjpeg", pixels="yuvj420p", options={"q:v": "4"}),
}


def press_row(named: tuple[str, tuple[Desk, dict[str, Any], str]]) -> str:
    """What becomes of one film of a desk."""
    name, (desk, given, suffix) = named
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"film{suffix}"
        truth = film_of_a_desk(path, desk)
        readout = {"readout_ms": 0.0, **given}
        try:
            latency, _ = from_film(look_at(path), **readout)
        except CaptureError as error:
            return f"| {name} | not sure: {str(error).partition(': ')[2].partition('. ')[0]} | | | | |"
    near = NEAR_PICTURES * 1000 / desk.rate
    index = np.array([int(np.abs(truth.press_ms - press).argmin()) for press in latency.press_ms])
    off = latency.answer_ms - latency.press_ms - (truth.answer_ms - truth.press_ms)[index]
    right = np.abs(latency.press_ms - truth.press_ms[index]) < near
    good = off[right & (np.abs(off) < near)]
    expected = int(np.isfinite(truth.answer_ms).sum())
    made_up = int((np.isfinite(latency.answer_ms) & ~(right & (np.abs(off) < near))).sum())
    sure = latency.bias_ms + latency.half_width_ms
    return (f"| {name} | {good.size} of {expected} | {made_up} | {good.mean():+.2f} | {np.abs(good).max():.1f} "
            f"({1000 / desk.rate:.1f}) | {sure:.1f} |")


def screen_row(named: tuple[str, Screen]) -> str:
    """What becomes of one film of the screen."""
    name, screen = named
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / ("film.avi" if screen.codec == "mjpeg" else "film.mkv")
        _, which = film_of_a_screen(path, screen)
        try:
            capture, seen = frames_of(look_at(path))
        except CaptureError as error:
            return f"| {name} | refused: {str(error).partition(': ')[2].partition(':')[0]} | |"
    pictures = np.round((capture.shown_ms + seen.begin_ms) * screen.rate / 1000).astype(int)
    first, last = int(pictures[0]), int(pictures[-1])
    told = np.isin(np.arange(first, last + 1), pictures)
    true = np.diff(which, prepend=-1)[first:last + 1] > 0
    return f"| {name} | {100 * float((told == true).mean()):.1f} % of {told.size} | {100 * seen.still_share:.0f} % |"


def main() -> None:
    with ProcessPoolExecutor() as pool:
        presses = _shown(pool.map(press_row, DESKS.items()))
        screens = _shown(pool.map(screen_row, SCREENS.items()))
    table = ["| film | found | made up | mean error, ms | largest (a picture), ms | said to be sure to, ms |",
             "|---|---|---|---|---|---|", *presses, "",
             "| film of the screen | pictures told right | left out as still |", "|---|---|---|", *screens]
    before = PAGE.read_text(encoding="utf-8").split(MARK)[0]
    PAGE.write_text(before + MARK + "\n\n" + "\n".join(table) + "\n", encoding="utf-8")


def _shown(rows: Iterator[str]) -> list[str]:
    result = []
    for row in rows:
        print(row, flush=True)
        result.append(row)
    return result


def wrong_without_a_word(films: int = 200, seed: int = 1) -> None:
    """Films of desks at random; prints how many give a mean beyond what they say they are sure to, without a word."""
    random = np.random.default_rng(seed)
    desks = [Desk(presses=16, seed=number, rate=float(random.choice([120, 240])), shutter=float(random.uniform(0.1, 1)),
                  noise=float(random.uniform(0, 25)), shake=float(random.choice([0, 0, 1, 2, 4])),
                  flicker=(float(random.choice([0, 100, 120])), float(random.uniform(0, 0.8))),
                  backlight=(float(random.choice([0, 0, 237, 480, 960])), float(random.uniform(0, 1))),
                  panel_ms=float(random.choice([0.3, 1, 2, 4, 8, 15])),
                  lamp=float(random.choice([0.05, 0.2, 0.6, 0.8, 3])),
                  screen=float(random.choice([0.05, 0.2, 0.5, 0.7])), readout=float(random.uniform(0, 1)),
                  toggles=bool(random.random() < 0.2), holds=bool(random.random() < 0.2),
                  adapts=bool(random.random() < 0.3), missed=int(random.choice([0, 0, 1, 2])),
                  unasked=int(random.choice([0, 0, 1, 2])),
                  travel_ms=float(random.choice([0, 0, 10, 20, 35, 60])), bounces=int(random.choice([0, 0, 3])),
                  latency_ms=(float(random.choice([15, 30, 60, 120])), float(random.uniform(1, 15))),
                  options={"crf": str(random.integers(20, 40)), "preset": "ultrafast"})
             for number in range(films)]
    with ProcessPoolExecutor() as pool:
        results = list(pool.map(partial(_mean_of, readout_ms=None), desks))
    sure = [(desk, *result) for desk, result in zip(desks, results, strict=True) if result is not None]
    wrong = [(desk, error, bound) for desk, error, bound in sure if abs(error) > bound]
    print(f"{films} films: {films - len(sure)} not sure, {len(sure)} sure, {len(wrong)} of these wrong")
    for desk, error, bound in itertools.islice(wrong, 20):
        print(f"off by {error:+.1f} ms, bound {bound:.1f}: {desk}")


def _mean_of(desk: Desk, readout_ms: float | None) -> tuple[float, float] | None:
    """How far off the mean latency of a film is, and what it may be off by; None if the film is not sure, or an answer
    is said to come too late to be one."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "film.mp4"
        truth = film_of_a_desk(path, desk)
        try:
            latency, _ = from_film(look_at(path), readout_ms=readout_ms)
        except CaptureError:
            return None
    if any("later" in doubt.what for doubt in latency.doubts):
        return None
    waits = latency.waits_ms
    return (float(waits.mean() - truth.waits_ms.mean()),
            latency.bias_ms + 3 * max(latency.half_width_ms, 0.5) / float(np.sqrt(max(1, waits.size))) + 0.3)


if __name__ == "__main__":
    main()
