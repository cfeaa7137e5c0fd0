"""Sweeps for `test_known_results.py` over what is read: layouts, columns, logs, what a machine said, lists of cores."""

from itertools import product
from pathlib import Path
from typing import Any

import numpy as np

from keenlattice import measure
from keenlattice.measure.capture import Capture
from keenlattice.measure.layout import layout_of
from keenlattice.measure.machine_log import beside
from keenlattice.measure.metrics import METRICS, metrics_of
from keenlattice.measure.proposal import propose
from keenlattice.measure.series import Series
from keenlattice.rig.linux.interrupts import as_list, cores_in
from keenlattice.study.pool._meta import Rigs
from keenlattice.study.pool._vetting import odd

TEXTS = {
    "plain": "t,x\n1,2\n3,4\n5,6\n", "no header": "1,2\n3,4\n5,6\n", "a title above": "My run\n\nt,x\n1,2\n3,4\n5,6\n",
    "comments": "# a\nt,x\n1,2\n// b\n3,4\n% c\n5,6\n", "tabs": "t\tx y\n1\t2\n3\t4\n", "bars": "t|x\n1|2\n3|4\n",
    "commas in numbers": "t;x\n1,5;2\n3,5;4\n", "blanks": "t x\n1 2\n3 4\n", "one column": "t\n1\n2\n3\n",
    "one column, no header": "1\n2\n3\n", "quotes": '"t","x"\n"1","2"\n"3","4"\n',
    "a longer header": "t,x,y\n1,2\n3,4\n",
    "words between": "t,x\n1,a\n2,b\n3,c\n", "exponents": "t,x\n1e3,.5\n-2E-1,+.25\n",
    "twice a name": "t,t\n1,2\n3,4\n",
    "two tables": "a,b,c\n1,2,3\n\nt,x\n1,2\n3,4\n5,6\n7,8\n", "ends at once": "t,x\n1,2",
    "empty cells": "t,x\n1,\n,4\n5,6\n",
    "carriage returns": "t,x\r\n1,2\r\n3,4\r\n", "an empty name": "t,\n1,2\n3,4\n"}


def of_layouts(folder: Path) -> object:
    found: dict[str, Any] = {}
    for (name, text), encoding in product(TEXTS.items(), ("utf-8", "utf-8-sig", "utf-16", "utf-16-le", "latin-1")):
        file = folder / f"{name} {encoding}.csv"
        file.write_bytes(text.encode(encoding))
        one = layout_of(file)
        found[f"{name}, {encoding}"] = [one.encoding, one.bom, one.delimiter, one.decimal, one.skip, one.header,
                                        one.rows[-1]]
    return found


def of_proposals(_: Path) -> object:
    """Which column the times are taken from, and why: by names, and by what the numbers are like."""
    random = np.random.default_rng(2)
    frames = 8 + random.uniform(-1, 1, 60)
    values = {"stamps": np.cumsum(frames), "intervals": frames, "rows": np.arange(60.0), "zeros": np.zeros(60),
              "back": -np.cumsum(frames), "noise": random.normal(0, 1, 60)}
    found = {}
    for kind, scale, name, other in product(values, (1e-3, 1, 1e3, 1e6), ("when", "t_ms", "time [us]", "s", "cpu_ms"),
                                            ("", "gpu_ms", "cpu [us]")):
        cells = [[f"{one * scale:.6g}", f"{one * 0.5:.6g}"] for one in values[kind]]
        one = propose([name, *([other] if other else [])], [row[:1 + bool(other)] for row in cells])
        found[f"{kind} * {scale:g}, {name}, {other}"] = [
            one.found.model_dump(exclude_defaults=True) if one.found else None, one.why]
    with_commas = propose(["t"], [[f"{at:.3f}".replace(".", ",")] for at in values["stamps"]], ",")
    return {**found, "with commas": [with_commas.found is not None, with_commas.why],
            "words": propose(["t"], [["a"], ["b"], ["c"]]).why, "two rows": propose(["t"], [["1"], ["9"]]).why}


def of_logs(_: Path) -> object:
    run = Capture(np.arange(0.0, 20_000.0, 10.0))
    at = np.arange(0.0, 30_000.0, 500.0)
    found = []
    for begin, offset, starts in product((None, 0.0, 5000.0, 1e9), (0.0, 4000.0, 1e9), (None, -3.0, 2.0)):
        log = {"gpu0.clock": Series(at + offset, 1000 + at / 10), "cpu.load": Series(at[:5] + offset, at[:5] * np.nan)}
        try:
            told = beside(run, log, begin, starts)
            clock = told.telemetry["gpu0.clock"]
            found.append([sorted(told.telemetry), clock.at_ms[[0, -1]], clock.values[[0, -1]], told.about])
        except measure.CaptureError as error:
            found.append(str(error))
    return found


def of_telemetry(_: Path) -> object:
    """Runs of which a machine said this or that: in brief, in metrics, and what the frames waited for."""
    frames = np.tile([8.0, 8.5, 12.0, 30.0], 100)
    at = np.linspace(0, 1000 * 5.85, 12)
    said = {"gpu0.load": np.linspace(70, 99, 12), "gpu.load": np.linspace(95, 60, 12),
            "cpu.load": np.linspace(50, 95, 12), "game-thread.load": np.linspace(99, 40, 12),
            "gpu0.throttled": np.r_[np.zeros(9), 100, 100, np.nan], "cpu.throttled": np.r_[20.0, np.zeros(11)],
            "gpu0.power": np.linspace(90, 120, 12), "cpu.power": at * 0 + 40, "battery.power": at * 0 + 77,
            "gpu0.clock": np.linspace(2000, 1500, 12), "gpu0.temperature": at / 100, "gpu1.clock": at * 0 + 300,
            "cpu.clock": at * np.nan, "gpu0.memory": at + 1, "cpu.pressure": at / 1000}
    sets = [(), tuple(said), ("gpu0.load",), ("gpu.load", "gpu1.clock"), ("cpu.load",),
            ("game-thread.load", "gpu0.load"), ("battery.power",), ("battery.power", "cpu.power"),
            ("gpu0.throttled",), ("cpu.throttled", "cpu.load"), ("cpu.clock", "gpu1.clock", "gpu0.clock")]
    about: list[dict[str, Any]] = [{}, {"late_share": 0.2}, {"missed_share": 0.2}, {"others_shown": True},
                                   {"steady": False}, {"late_share": 0.001, "missed_share": 0.001, "steady": True}]
    found = []
    for number, (names, stages) in enumerate(product(sets, ((), (0.5, 0.9), (0.95, 0.9), (0.5, 0.5)))):
        cpu, gpu = ((np.r_[1.0, frames * share] for share in stages) if stages else (np.empty(0), np.empty(0)))
        run = Capture(np.r_[0.0, np.cumsum(frames)], cpu_ms=cpu, gpu_ms=gpu, about=about[number % len(about)],
                      telemetry={name: Series(at, said[name]) for name in names})
        known = metrics_of(run, [name for name in METRICS if "fps" not in name and "frame_ms" not in name])
        found.append([{name: one for name, one in known.items() if one == one}, measure.readings(run),
                      measure.limited_by(run), measure.throttled(run), measure.doubts_of(run)])
    return found


def of_a_data_set(folder: Path) -> object:
    for number, name in enumerate(("b", "a/c", "a/b")):
        (folder / name).parent.mkdir(exist_ok=True)
        measure.write_capture(Capture(np.arange(40.0 + number) * (8 + number)), folder / f"{name}.parquet")
    (folder / "a/d.parquet").write_bytes(b"PAR1 cut short")
    (folder / "e.parquet").symlink_to(folder / "b.parquet")
    found = measure.metrics_of_dataset(folder, ["fps_mean"])
    return [found._rows(), found._caption(), [[one.file, bool(one.refused)] for one in found.captures]]


def of_cores(_: Path) -> object:
    texts = ("0", "0-3", "0-3,6", " 1,3-4\n", "7-7", "3-1", "a", "1-b", "-1", "1-", "", "1,,2", "4095", "4096",
             "0-4096", "0-99999999999", "12345-12346", "00000000001", "2,1,0")
    told = {text: cores_in(text) for text in texts}
    return {text: None if one is None else [sorted(one)[:9], len(one), as_list(one)] for text, one in told.items()}


def of_odd_rigs(_: Path) -> object:
    """Which of 14 rigs are odd, where two make most of it up, one did for one change alone, and one tried little."""
    found = []
    for seed, (changes, off) in enumerate(product((3, 4, 5, 9), (0.03, 0.08, 0.4))):
        random = np.random.default_rng([seed, 3])
        effect = random.normal(-0.02, 0.01, (changes, 14))
        effect[:, 3] += off
        effect[changes // 2:, 5] -= off
        effect[0, 7] += 9 * off
        tried = random.uniform(size=effect.shape) < 0.95
        tried[2:, 9] = False
        rows, sizes = np.nonzero(tried)[1], tried.sum(axis=1)
        starts = np.r_[0, np.cumsum(sizes)[:-1]].astype(np.intp)
        rigs = Rigs(effect[tried], random.uniform(0.5, 2, rows.size) * 1e-4, starts)
        found.append(odd(rigs, rows.astype(np.intp), 15))
    return found


READINGS = {"layouts": of_layouts, "proposals of columns": of_proposals, "logs": of_logs, "telemetry": of_telemetry,
            "a data set": of_a_data_set, "lists of cores": of_cores, "odd rigs in a pool": of_odd_rigs}
