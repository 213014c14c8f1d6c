"""Plans and facts of hosts as OpenAPI types. What they may hold is checked by the core, which says of each wrong part
where it stands and what would be right; here is their shape.
"""

from dataclasses import dataclass
from typing import Annotated, Any, Literal, NotRequired

from pydantic import Field, GetJsonSchemaHandler, TypeAdapter
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema
from typing_extensions import TypedDict

Duration = Annotated[str, Field(description="Such as 200ms, 5s, 1.5h or 30d.")]
Severity = Literal["emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug"]


@dataclass(frozen=True, slots=True)
class Shape:
    """Marks a JSON object that is passed on as it is, and that OpenAPI describes by this type."""

    type: Any

    def __get_pydantic_json_schema__(self, _: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        return handler(TypeAdapter(self.type).core_schema)


class PlanGroup(TypedDict, total=False):
    """How a group of counters is recorded."""

    record: bool
    every: Duration


class PlanDevices(TypedDict, total=False):
    """Which devices of a kind are recorded: names or patterns."""

    only: list[str]
    without: list[str]
    idle: bool


Day = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
PlanHours = TypedDict("PlanHours", {"days": list[Day], "from": str, "to": str}, total=False)
"""Part of every week, in UTC."""


class PlanTimes(TypedDict, total=False):
    """When a plan records."""

    start: str | None
    end: str | None
    weekly: list[PlanHours]


PlanBurst = TypedDict(
    "PlanBurst",
    {
        "resource": Literal["cpu", "memory", "io"] | None,
        "scope": Literal["some", "full"],
        "above": float,
        "for": Duration,
        "every": Duration,
        "last": Duration,
    },
    total=False,
)
"""Faster ticks, by hand or while tasks lose time to a resource."""


class PlanDocument(TypedDict):
    """A plan, as docs/plans.md describes it."""

    name: str
    every: NotRequired[Duration]
    groups: NotRequired[dict[str, PlanGroup]]
    devices: NotRequired[dict[str, PlanDevices]]
    when: NotRequired[PlanTimes | None]
    keep: NotRequired[Duration | None]
    burst: NotRequired[PlanBurst | None]
    arguments: NotRequired[bool]
    threads: NotRequired[bool]
    control_groups: NotRequired[list[str]]
    log: NotRequired[Severity | None]


class DiskFacts(TypedDict):
    """What is known of a disk."""

    role: Literal["disk", "partition", "volume", "memory"]
    on: NotRequired[list[str]]
    rotational: NotRequired[bool | None]
    model: NotRequired[str | None]
    size_bytes: NotRequired[int | None]
    scheduler: NotRequired[str | None]


class LinkFacts(TypedDict, total=False):
    """What is known of an interface."""

    speed_bits_per_s: int | None
    physical: bool | None
    mtu_bytes: int | None
    driver: str | None
    duplex: str | None
    carrier: bool | None
    addresses: list[str]


class MountFacts(TypedDict, total=False):
    """What is known of a mounted filesystem."""

    device: str | None
    kind: str | None
    options: str | None


class SwapFacts(TypedDict, total=False):
    """What is known of a place that memory is swapped out to."""

    kind: str | None
    size_bytes: int | None
    disk: str | None


class GroupFacts(TypedDict, total=False):
    """The limits of a control group; null where it has none."""

    cores: float | None
    memory_bytes: int | None
    memory_high_bytes: int | None
    swap_bytes: int | None
    tasks: int | None
    io: list[str]


class SensorFacts(TypedDict, total=False):
    """What is known of a sensor, its limits in the unit of what it tells."""

    label: str | None
    high: float | None
    critical: float | None


class ModuleFacts(TypedDict):
    """A slot for memory; a size of 0 is an empty one."""

    slot: str
    size_bytes: NotRequired[int | None]
    kind: NotRequired[str | None]
    speed_per_s: NotRequired[int | None]
    maker: NotRequired[str | None]


class ListeningFacts(TypedDict):
    """A port that is listened at; no program where the recorder may not look at whose it is."""

    protocol: str
    address: str
    port: int
    program: NotRequired[str | None]
    user: NotRequired[str | None]


class HardwareFacts(TypedDict, total=False):
    """What the machine is made of."""

    product: str | None
    board: str | None
    sockets: int | None
    physical_cores: int | None
    caches: list[str]
    lowest_hz: int | None
    highest_hz: int | None
    modules: list[ModuleFacts]
    problem: str | None


class HostFacts(TypedDict, total=False):
    """What is known of a host, as docs/blocks.md describes it; what is unknown is null or left out."""

    cores: int | None
    memory_bytes: int | None
    kernel: str | None
    model: str | None
    virtual: bool | None
    boot: str | None
    timezone: str | None
    disks: dict[str, DiskFacts]
    links: dict[str, LinkFacts]
    mounts: dict[str, MountFacts]
    sensors: dict[str, SensorFacts]
    swaps: dict[str, SwapFacts]
    groups: dict[str, GroupFacts]
    hardware: HardwareFacts
    listening: list[ListeningFacts] | None


Plan = Annotated[dict[str, Any], Shape(PlanDocument)]
Facts = Annotated[dict[str, Any], Shape(HostFacts)]
