"""The rows of a calibration: how often something happened, and what is claimed of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from zlib import crc32

STUDIES = 800
SLACK = 0.02
"""By how much the end of an interval may miss what is claimed, as it does with so few studies if it is just true."""


@dataclass(frozen=True)
class Row:
    """One figure: what it is, how often it happened in how many chances, and what is claimed."""

    what: str
    hits: int
    chances: int
    least: float
    most: float

    def interval(self) -> tuple[float, float]:
        from scipy.special import betaincinv

        low = float(betaincinv(self.hits, self.chances - self.hits + 1, 0.025)) if self.hits else 0.0
        high = float(betaincinv(self.hits + 1, self.chances - self.hits, 0.975)) if self.hits < self.chances else 1.0
        return low, high

    def holds(self) -> bool:
        low, high = self.interval()
        return (self.least == 0 or low >= self.least - SLACK) and (self.most == 1 or high <= self.most + SLACK)

    def line(self) -> str:
        low, high = (100 * one for one in self.interval())
        claim = (f"at most {100 * self.most:.3g} %" if self.least == 0 else f"at least {100 * self.least:.3g} %"
                 if self.most == 1 else f"{100 * self.least:.3g} to {100 * self.most:.3g} %")
        return (f"| {self.what} | {self.chances} | {claim} | {100 * self.hits / self.chances:.1f} % | "
                f"{low:.1f} to {high:.1f} % | {'yes' if self.holds() else '**no**'} |")


def seed_of(name: str, number: int) -> int:
    return crc32(f"{name} {number}".encode()) >> 1


def said(rows: Sequence[Row]) -> None:
    for row in rows:
        print(row.line(), flush=True)
