"""What is requested to be pinned, as it comes over the wire: the server reads the numbers again and freezes those."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, Field, StringConstraints

from reditus.analysis.exhibits.charts import DRAWN_WIDTH, Strip, StripLine
from reditus.analysis.use import By
from reditus.core.measures import Resource
from reditus.core.types import NS_PER_S
from reditus.core.use import Quantity
from reditus.server.document_schemas import Severity
from reditus.server.schemas import Moment

MOST_LINES, MOST_STRIPS, MOST_NAMES = 64, 40, 160
LONGEST_BIN_S = 31 * 86_400
Label = Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00-\x1f]*$")]
MeasureName = Annotated[str, StringConstraints(min_length=1, max_length=300, pattern=r"^[^\x00-\x1f]+$")]
View = Annotated[str, StringConstraints(max_length=4_000, pattern=r"^(/[^/\x00-\x1f][^\x00-\x1f]*)?$")]


class StripLineIn(BaseModel):
    """A line of a strip."""

    names: list[MeasureName] = Field(min_length=1, max_length=MOST_LINES, description="NAME or NAME@DEVICE.")
    label: Label = ""
    weight: float = Field(default=1, ge=0, le=1)
    width: float = Field(default=1.25, ge=0, le=8)
    dash: list[Annotated[float, Field(ge=0, le=100)]] = Field(default=[], max_length=8)
    together: Literal["sum", "mean"] = Field(default="sum", description="What becomes of several measures.")

    def line(self) -> StripLine:
        """As the analysis takes it."""
        return StripLine(tuple(self.names), self.label, self.weight, self.width, tuple(self.dash), self.together)


class StripIn(BaseModel):
    """A strip as it stands on the page."""

    title: Annotated[str, StringConstraints(min_length=1, max_length=300)]
    about: Label = ""
    resource: Resource
    unit: Annotated[str, StringConstraints(max_length=40, pattern=r"^[^\x00-\x1f]*$")]
    lines: list[StripLineIn] = Field(min_length=1, max_length=MOST_LINES)
    stacked: bool = False
    log: bool = False
    top: float | None = Field(default=None, gt=0, allow_inf_nan=False, description="The upper edge; null: found again.")
    height: float = Field(default=100, ge=20, le=600)
    width: int = Field(default=DRAWN_WIDTH, ge=2, le=2_000, description="Points to draw at most.")
    bin_s: int | None = Field(
        default=None, ge=1, le=LONGEST_BIN_S, description="Length of the bins, where it is chosen."
    )

    def strip(self) -> Strip:
        """As the analysis takes it."""
        return Strip(
            self.title, self.resource, self.unit, tuple(line.line() for line in self.lines), self.about, self.stacked,
            self.log, self.top, self.height, self.width, None if self.bin_s is None else self.bin_s * NS_PER_S,
        )  # fmt: skip


class PinBase(BaseModel):
    """What every pin says: of which window of which archive, by which clock, and in which view."""

    archive: UUID = Field(description="Of an archive, or of a host.")
    start: Moment = Field(description="RFC 3339.")
    end: Moment = Field(description="RFC 3339.")
    zone: Annotated[str, StringConstraints(min_length=1, max_length=80)] = "UTC"
    view: View = Field(default="", description="The address within Reditus that leads back.")


class StripPinIn(PinBase):
    """A strip with its lines."""

    kind: Literal["strip"]
    strip: StripIn


class FiguresPinIn(PinBase):
    """The figures of strips."""

    kind: Literal["figures"]
    strips: list[StripIn] = Field(min_length=1, max_length=MOST_STRIPS)


class TicksPinIn(PinBase):
    """A table of ticks."""

    kind: Literal["ticks"]
    strips: list[StripIn] = Field(min_length=1, max_length=MOST_STRIPS)


class MomentPinIn(PinBase):
    """The state at a moment."""

    kind: Literal["moment"]
    at: Moment
    names: list[MeasureName] | None = Field(default=None, max_length=MOST_NAMES, description="null: all there is.")


class UsePinIn(PinBase):
    """Who used what over the window."""

    kind: Literal["use"]
    by: By = By.PROCESS
    sort: Quantity = Quantity.PROCESSOR
    most: int = Field(default=20, ge=1, le=200)
    match: Annotated[str, StringConstraints(max_length=120)] = ""


class FactsPinIn(PinBase):
    """What is known of the host."""

    kind: Literal["facts"]


class FindingPinIn(PinBase):
    """A finding, or something that was ruled out."""

    kind: Literal["finding", "ruled-out"]
    finding: Annotated[str, StringConstraints(min_length=1, max_length=300)] = Field(description="Its id.")


class DifferencePinIn(PinBase):
    """A row of a comparison."""

    kind: Literal["difference"]
    measure: MeasureName
    device: Annotated[str, StringConstraints(max_length=200)] | None = None
    reference: UUID | None = Field(default=None, description="Archive or host of the reference; null: the same.")
    reference_start: Moment
    reference_end: Moment


class NotePinIn(PinBase):
    """A remark, a gap, or a single line."""

    kind: Literal["note"]
    ident: Annotated[str, StringConstraints(min_length=1, max_length=200)]


class LogPinIn(PinBase):
    """Lines of logs over the window."""

    kind: Literal["log"]
    severity: Severity = "debug"
    logs: list[Annotated[str, StringConstraints(max_length=100)]] = Field(default=[], max_length=64)
    holding: Annotated[str, StringConstraints(max_length=200)] = ""


PinIn = Annotated[
    StripPinIn | FiguresPinIn | TicksPinIn | MomentPinIn | UsePinIn | FactsPinIn | FindingPinIn | DifferencePinIn
    | NotePinIn | LogPinIn,
    Field(discriminator="kind"),
]  # fmt: skip
