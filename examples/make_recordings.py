"""Makes the sample recordings in examples/recordings/ again; all of them are made up. Run it from anywhere."""

import sys
from pathlib import Path

import numpy as np
from scipy.io import wavfile

sys.path.insert(0, str(Path(__file__).parent.parent))  # for `bench`, from wherever it is started
from bench.traces import trace

from keenlattice.measure import Capture
from keenlattice.measure.film.made_up import film_of_run

FOLDER = Path(__file__).parent / "recordings"


def odd_csv() -> str:
    """What a recorder with its own mind writes: remarks, decimal commas, its header twice, frames never shown."""
    random = np.random.default_rng(5)
    frames = 8 * np.exp(random.normal(0, 0.06, 1200))
    frames[200::260] = 31
    header = 'Nr;Programm;"Zeit [us]";GPU [us];Marke;Bild'
    lines = ["Recorded on the box of a friend; table 3, league evening", "# times are of the panel", header]
    for number, frame in enumerate(frames):
        took, gpu = (f"{frame * part:.1f}".replace(".", ",") for part in (1000, 700))
        marker, shown = "warm-up" if number < 300 else "multiball", int(number % 400 != 399)
        lines.append(f"{number};orbit;{took};{gpu};{marker};{shown}")
        if number == 600:
            lines.append(header)
    return "\ufeff" + "\r\n".join(lines) + "\r\n"


def light_log() -> str:
    """A light sensor and a button at 2000 samples a second; one press has no answer."""
    made = trace(2000, 25, panel_ms=4, drift=0.3, seed=3, presses=12)
    light = made.light.copy()
    begin = int(2 * made.press_ms[5])
    light[begin:begin + 900] = light[begin - 900:begin]  # the game was busy elsewhere
    rows = zip(np.arange(light.size) * 0.5, 310 + 240 * light, made.button, strict=True)
    return "t_ms,light,button\n" + "".join(f"{at:.1f},{value:.0f},{int(pressed)}\n" for at, value, pressed in rows)


def flash_wav() -> tuple[int, np.ndarray]:
    """A microphone at the button and a photodiode before a strobed panel, on the sound card of a laptop."""
    made = trace(8000, 30, strobe_hz=240, panel_ms=0.5, seed=4, presses=14, fading_s=0.4)
    random = np.random.default_rng(4)
    sound = random.normal(0, 0.01, made.light.size)
    for one in made.press_ms:
        begin = int(one * 8)
        sound[begin:begin + 160] += np.exp(-np.arange(160) / 30) * np.sin(np.arange(160) * 1.1)
    scaled = np.stack([0.7 * sound, 0.2 * made.light], axis=1)
    return 8000, (np.clip(scaled, -1, 1) * 32_000).astype(np.int16)


def camera_csv() -> str:
    """Frames counted in the film of a camera that takes 240 a second."""
    random = np.random.default_rng(6)
    waits = random.normal(38, 5, 24)
    begin = random.uniform(0, 1000 / 240, 24)
    counts = np.floor((begin + waits) * 240 / 1000).astype(int)
    return "press,frames\n" + "".join(f"{number},{count if number != 9 else '-'}\n" for number, count in
                                      enumerate(counts, 1))


def phone_film(path: Path) -> None:
    """A phone's slow motion of ten presses: taken at 240 pictures a second, and saved as if it were 30."""
    random = np.random.default_rng(8)
    press = 400 + np.cumsum(random.uniform(350, 520, 10))
    film_of_run(Capture(np.empty(0), press, press + random.normal(37, 6, 10)), path, seed=8)


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    phone_film(FOLDER / "phone.mp4")
    (FOLDER / "odd.csv").write_text(odd_csv(), encoding="utf-8", newline="")
    (FOLDER / "light-log.csv").write_text(light_log(), encoding="utf-8", newline="")
    (FOLDER / "camera.csv").write_text(camera_csv(), encoding="utf-8", newline="")
    wavfile.write(FOLDER / "flash.wav", *flash_wav())


if __name__ == "__main__":
    main()
