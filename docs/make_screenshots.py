"""Makes the pictures in docs/screenshots/ again, from the demo data: `make shots`.

A terminal view is what a terminal window under Xvfb shows, after the commands above it were typed into a fresh logbook.
"""

import os
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent / "screenshots"
sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))  # where the browser is
KEEN = Path(__file__).parent.parent / ".venv" / "bin"
PACK = Path(__file__).parent.parent / "examples" / "packs" / "pinball-league.toml"
RECORDINGS = PACK.parent.parent / "recordings"
FONT = ["-fa", "DejaVu Sans Mono", "-fs", "10"]
COLOURS = ["-bg", "#14181d", "-fg", "#d8dee6", "-bw", "0"]

LEAGUE = f"python {PACK.parent.parent / 'league.py'} league --players 100 --tries 10 --careless 0.06"

# name, height in pixels, commands that are typed unseen before, commands that are shown
SHOTS: list[tuple[str, int, list[str], list[str]]] = [
    ("demo", 1290, [], ["keen demo"]),
    ("survey", 800, [], ["keen survey"]),
    ("edit-show", 800, [], [
        "keen edit rig display.refresh=165 background.recorder=off -m 'what survey said'",
        "keen edit brass-orbit frame.queue-depth=1 frame.cap=160 -m 'flippers sooner'", "keen show brass-orbit"]),
    ("apply-undo", 900, ["keen edit brass-orbit frame.queue-depth=1 frame.cap=160 -m 'flippers sooner'"], [
        "keen apply brass-orbit --yes", "keen history brass-orbit", "keen undo",
        "keen edit brass-orbit frame.cpa=160", "export KEEN_STATE=$HOME/of-somebody-else",
        "keen edit brass-orbit frame.cap=90", "keen takeover --yes", "keen status"]),
    ("catalog-merge", 880, ["keen edit brass-orbit frame.cap=160 -m steady", "keen history brass-orbit --label base",
                           "keen edit brass-orbit frame.cap=150 sync.vertical=off -m 'rig of the club'",
                           "keen history brass-orbit --label club",
                           "keen edit brass-orbit@base frame.cap=140 frame.queue-depth=1"],
     ["keen catalog --needs machine --moves latency", "keen catalog frame.queue-depth",
      "keen merge brass-orbit@club brass-orbit </dev/null", "keen merge brass-orbit@club brass-orbit --keep second",
      "keen merge --revert brass-orbit@club --keep first", "keen history brass-orbit"]),
    ("pack", 800, [f"cp {PACK} league.toml"], ["keen pack look league.toml", "keen pack adopt league.toml --rule 1"]),
    ("drift", 720, ["keen edit brass-orbit frame.cap=160 process.priority=high -m steady",
                           "keen apply brass-orbit --yes",
                           "keen edit rig cpu.core-parking=off display.refresh=144 memory.rated-speed=on"],
     ["keen rig chore update-driver --yes", "keen drift", "keen drift --put-back --yes | tail -2",
      "keen apply rig --yes", "keen rig restart machine", "keen undo --list"]),
    ("sheet", 800, ["export KEEN_RIG=byhand", "keen rig facts refresh_hz=60 best_refresh_hz=165",
                    "keen rig game brass-orbit --title 'Brass Orbit' --executable orbit.exe",
                    "keen edit brass-orbit 'frame.cap== refresh - 3' frame.queue-depth=1 sync.vertical=off -m sooner"],
     ["keen survey", "keen apply brass-orbit --yes >sheet.txt",
      "keen rig sheet --was 1=off --tick 1 --was 2=3 --seen 2=3",
      "keen rig sheet --out sheet.html"]),
    ("play", 640, ["export KEEN_RIG=here", "cp /bin/sleep orbit",
                   "keen rig game brass-orbit --title 'Brass Orbit' --executable orbit"],
     ["keen edit brass-orbit process.priority=lowered process.affinity=0 -m 'the voice chat goes first'",
      "keen apply brass-orbit </dev/null", "keen play brass-orbit -- ./orbit 3", "keen play --list",
      "keen rig use standin", "KEEN_RIG= keen survey 2>/dev/null | head -4"]),
    ("guided", 860, ["keen demo --rig byhand --out told | tee told.txt"], [
        "sed -n '/^3[.]/,/^Run 5/p' told.txt"]),
    ("ingest-latency", 1330, [f"cp {RECORDINGS}/* ."], [
        "keen ingest odd.csv --yes",
        "keen ingest odd.csv --time 'Zeit [us]' --means intervals --unit us --marker Marke --dropped Bild=0 "
        "--name friends-box --of brass-orbit | head -3",
        "keen ingest odd.csv",
        "keen latency light-log.csv --time t_ms --light light --button button", "keen latency flash.wav"]),
    ("film", 360, [f"cp {RECORDINGS}/phone.mp4 ."], [
        "keen latency phone.mp4", "keen latency phone.mp4 --shot-at 240 --figure film-figure.png"]),
    ("measure", 800, [], ["keen measure brass-orbit --seed 7 --seconds 30",
                         "keen edit brass-orbit frame.queue-depth=1 >edit.txt; keen apply brass-orbit --yes >apply.txt",
                         "keen measure brass-orbit --seed 8 --seconds 30 --runs 1 | head -4",
                         "keen draw brass-orbit@stock brass-orbit --out runs-figure.png"]),
    ("trial-compare", 900, ["keen edit brass-orbit frame.cap=160 -m 'steady'"], [
        "keen trial brass-orbit@stock brass-orbit --matters 3 --seed 7",
        "keen compare brass-orbit@stock brass-orbit", "keen studies"]),
    ("screen", 800, [
        "keen edit brass-orbit frame.queue-depth=1 texture.anisotropy=16x texture.filter-quality=fastest "
        "scaling.render-scale=90 driver.threaded-submission=on process.priority=high gpu.clock-policy=hold-high "
        "antialias.gamma=off frame.cap-unfocused=30 game.config-locked=on process.io-priority=high "
        "driver.compute-device=gpu1 window.high-dpi=by-game shading.ambient-occlusion=on -m 'what the list said'",
        "keen edit rig display.refresh=165 background.recorder=off input.polling-rate=1000 -m 'what the list said'"],
     ["keen screen brass-orbit@stock+rig@stock brass-orbit+rig --plan | head -4",
      "keen screen brass-orbit@stock+rig@stock brass-orbit+rig --seed 1 --matters 1.5"]),
    ("hunt-tune", 1120, [
        "keen edit brass-orbit antialias.gamma=off -m 'a tip'",
        "keen edit brass-orbit texture.anisotropy=16x -m sharper",
        "keen edit brass-orbit game.config-locked=on shading.ambient-occlusion=on driver.compute-fallback=forbid "
        "process.priority=high -m 'what the list said'", "keen edit brass-orbit frame.cap-unfocused=30 -m quiet",
        "keen edit brass-orbit window.high-dpi=by-game -m 'another tip'"],
     ["keen hunt brass-orbit --matters 3 --seed 1",
      "keen tune brass-orbit@stock --try frame.cap=off,120,144,160 --try frame.queue-depth=1,2,3 "
      "--goal latency_ms_p95 --keep 'frame_ms_p99<8' --matters 2 --seed 1",
      "yes A | keen blind brass-orbit@stock brass-orbit --rounds 12 2>/dev/null | sed -n '/^Nothing felt/,$p'"]),
    ("pool", 1170, [
        LEAGUE, "keen edit brass-orbit frame.queue-depth=1 gpu.clock-policy=hold-high process.priority=high "
        "driver.threaded-submission=on process.io-priority=high -m 'what the list said'"],
     ["COLUMNS=156 keen pool read league --figure pool-figure.png 2>/dev/null | head -30",
      "keen pool look driver.threaded-submission",
      "keen pool order brass-orbit@stock brass-orbit"]),
]


REPORTED = [
    "keen edit rig display.refresh=165 background.recorder=off -m 'what survey said'", "keen apply rig --yes",
    "keen rig restart machine",
    "keen edit brass-orbit frame.queue-depth=1 frame.cap='= refresh - 3' -m 'flippers sooner'",
    "keen edit brass-orbit process.io-priority=high sync.triple-buffering=on -m 'from a list of thirty'",
    "keen trial brass-orbit@stock brass-orbit --matters 3 --seed 7",
    "keen report --out trial.html", *(f"KEEN_BOOK=other {line}" for line in [
        LEAGUE, "keen pool read league", "keen report --out pool.html"])]
SHEET = [f"KEEN_RIG=byhand KEEN_BOOK=byhand {line}" for line in [
    "keen rig game brass-orbit --title 'Brass Orbit' --executable orbit.exe", "keen rig facts refresh_hz=165",
    "keen rig take-stock frame.cap=off --game brass-orbit",
    "keen edit brass-orbit 'frame.cap== refresh - 3' frame.queue-depth=1 process.priority=high -m 'flippers sooner'",
    "keen apply brass-orbit --yes", "keen rig sheet --tick 1", "keen rig sheet --out sheet.html"]]
# name, page, width, height, theme, the section that is shown first
PAGES = [("report", "trial.html", 1280, 1100, "light", 0), ("phone-1", "trial.html", 390, 1100, "light", 0),
         ("phone-2", "pool.html", 390, 1100, "dark", 3), ("phone-3", "sheet.html", 390, 1100, "light", 0)]


def main() -> None:
    HERE.mkdir(exist_ok=True)
    if not sys.argv[1:] or "report" in sys.argv[1:]:
        _shoot_reports()
    for name, height, before, shown in SHOTS:
        if sys.argv[1:] and name not in sys.argv[1:]:
            continue
        with tempfile.TemporaryDirectory() as folder:
            _shoot(HERE / f"{name}.png", height, before, shown, Path(folder))
            for figure in Path(folder).glob("*-figure.png"):  # what a command has drawn stands below it
                subprocess.run(["convert", str(HERE / f"{name}.png"), str(figure), "-append", "-depth", "8", "-colors",
                                "128", str(HERE / f"{name}.png")], check=True)


def _shoot(picture: Path, height: int, before: list[str], shown: list[str], folder: Path) -> None:
    done = folder / ".done"
    script = folder / ".script"
    typed = "".join(f"printf '\\033[2m$\\033[0m %s\\n' {_quoted(_without_plumbing(line))}\n{line}\n"
                    + "printf '\\033[2m...\\033[0m\\n'\n" * ("| head" in line) for line in shown)
    script.write_text("\n".join([*(f"{line} >/dev/null" for line in before), "clear", typed, f"touch {done}",
                                 "sleep 60"]))
    environment = {**os.environ, "PATH": f"{KEEN}:{os.environ['PATH']}", "KEEN_BOOK": str(folder / ".book"),
                   "HOME": str(folder), "LOGNAME": "player", "COLORTERM": "truecolor", "KEEN_RIG": "standin"}
    reading, writing = os.pipe()
    server = subprocess.Popen(["Xvfb", "-displayfd", str(writing), "-screen", "0", f"1280x{height}x24"],
                              pass_fds=(writing,), stderr=subprocess.DEVNULL)
    os.close(writing)
    with os.fdopen(reading) as number:
        environment["DISPLAY"] = f":{number.readline().strip()}"
    terminal = subprocess.Popen(
        ["xterm", *FONT, *COLOURS, "-geometry", "158x80+0+0", "-b", "10", "+sb", "-e", "sh", str(script)],
        env=environment, cwd=folder)
    until = time.monotonic() + 400
    while not done.exists() and time.monotonic() < until:  # a question that nobody answers is not a reason to hang
        time.sleep(0.1)
    time.sleep(0.5)
    subprocess.run(["import", "-window", "root", "-depth", "8", "-colors", "64", str(picture)], env=environment,
                   check=True)
    for process in (terminal, server):
        process.terminate()
        process.wait()


PLUMBING = re.compile(r" *(\| (head|tail) -\d+|\| sed .*|</dev/null|[12]?>[^\s;]+)|"
                      r"^(yes A \| |COLUMNS=\d+ |KEEN_RIG= )")
GUIDED = "sed -n"


def _without_plumbing(line: str) -> str:
    """Return a command as a player types it: without what answers for them or shortens what is printed."""
    return "keen demo --rig byhand   # its third part" if line.startswith(GUIDED) else PLUMBING.sub("", line)


def _shoot_reports() -> None:
    """The report of a trial at a desk; and on a phone that, a pool's in the dark, and the sheet of a rig by hand."""
    from browser import browser

    with tempfile.TemporaryDirectory() as home, browser() as shown:
        environment = {**os.environ, "PATH": f"{KEEN}:{os.environ['PATH']}", "KEEN_BOOK": f"{home}/book",
                       "HOME": home, "LOGNAME": "player", "KEEN_RIG": "standin"}
        for line in [*REPORTED, *SHEET]:
            subprocess.run(["sh", "-c", line], cwd=home, env=environment, check=True, capture_output=True)
        for name, page, width, height, theme, section in PAGES:
            shown.show(Path(home) / page, width, height, theme)
            shown.run(f"document.querySelectorAll('h1, h2')[{section}].scrollIntoView()" if section else "")
            shown.picture((Path(home) if name.startswith("phone") else HERE) / f"{name}.png")
        phones = [f"{home}/phone-{number}.png" for number in (1, 2, 3)]
        subprocess.run(["montage", *phones, "-tile", "3x1", "-geometry", "+12+12", "-background", "#777",
                        str(HERE / "phone.png")], check=True)


def _quoted(line: str) -> str:
    return "'" + line.replace("'", "'\\''") + "'"


if __name__ == "__main__":
    main()
