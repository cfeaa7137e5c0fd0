"""A column map: which column of a recording means what, in which unit. A player gives it once, and names it."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, model_validator

from keenlattice.errors import CaptureError
from keenlattice.measure.series import check_names

Unit = Literal["s", "ms", "us", "ns", "ticks"]
UNITS: tuple[Unit, ...] = ("s", "ms", "us", "ns", "ticks")
IN_MS: dict[str, float] = {"s": 1000.0, "ms": 1.0, "us": 1e-3, "ns": 1e-6}


def _named(series: Mapping[str, str]) -> Mapping[str, str]:
    try:
        check_names(series)
    except CaptureError as error:
        raise ValueError(str(error)) from None
    return series


Said = Annotated[Mapping[str, str], AfterValidator(_named)]
"""Series (`gpu0.temperature`) to column."""


class ColumnMap(BaseModel):
    """Which column means what. Columns are named as the file's header has them, or `column 1` where there is none.

    Args:
        name: what the player calls this map.
        time: the column of times.
        means: whether these are "stamps" (when a frame was shown) or "intervals" (since the frame before).
        unit: of the times; ticks need `ticks_per_s`.
        cpu, gpu: the columns of stage times, if any; in `stage_unit`.
        dropped, dropped_when: the column that marks a frame that was never shown, and the text that marks it.
        process: the column that names the program, where a file holds several.
        marker: the column that names the segment of the run that a frame belongs to.
        said: what the machine said of itself, each by a series' name (`gpu0.temperature`) and its column, in the unit
            of its kind.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern=r"^[a-z][a-z0-9-]{0,39}$")
    time: str
    means: Literal["stamps", "intervals"]
    unit: Unit
    ticks_per_s: float | None = Field(default=None, gt=0)
    cpu: str | None = None
    gpu: str | None = None
    stage_unit: Unit = "ms"
    dropped: str | None = None
    dropped_when: str = "1"
    process: str | None = None
    marker: str | None = None
    said: Said = Field(default_factory=dict)

    @model_validator(mode="after")
    def _holds_together(self) -> "ColumnMap":
        if (self.unit == "ticks") != (self.ticks_per_s is not None):
            raise ValueError("ticks_per_s: the unit ticks needs it, and no other takes it")
        if self.stage_unit == "ticks":
            raise ValueError("stage_unit: stage times are in s, ms, us or ns")
        return self

    @property
    def to_ms(self) -> float:
        """What a time of this map is multiplied by to be in ms."""
        return 1000.0 / self.ticks_per_s if self.ticks_per_s else IN_MS[self.unit]

    @property
    def numbers(self) -> list[str]:
        """The columns that hold numbers."""
        return [column for column in (self.time, self.cpu, self.gpu, *self.said.values()) if column is not None]

    @property
    def texts(self) -> list[str]:
        """The columns that hold texts."""
        return [column for column in (self.dropped, self.process, self.marker) if column is not None]


def column_map(**fields: Any) -> ColumnMap:
    """A column map from what a player gave.

    Args:
        fields: the fields of `ColumnMap`, by name.

    >>> column_map(name="mine", time="t", means="stamps", unit="us").to_ms
    0.001

    Raises:
        CaptureError: it does not hold together; the message names the field.
    """
    return made_of(ColumnMap, "column map", fields)


Map = TypeVar("Map", bound=BaseModel)


def made_of(form: type[Map], title: str, fields: dict[str, Any]) -> Map:
    """A map of that form.

    Args:
        title: what it is called in the message.
        fields: its fields, by name.

    Raises:
        CaptureError: it does not hold together; the message names the field.
    """
    try:
        return form(**fields)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the map"
        raise CaptureError(f"a {title} cannot be made of this: {where}: "
                           f"{first['msg'].removeprefix('Value error, ')}") from None
