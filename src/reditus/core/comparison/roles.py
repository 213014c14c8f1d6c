"""What a measure tells of work: how much was wanted, how long it took, what it was like, or how things stood."""

import re
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from reditus.core.measures import Measure, Resource, Unit


class Role(StrEnum):
    """What a measure tells of work."""

    DEMAND = "demand"
    """How much was done, or wanted."""
    RESPONSE = "response"
    """How long it took, waited or was held up."""
    LOSS = "loss"
    """What failed, was dropped or had to be done again."""
    MIX = "mix"
    """What the work was like."""
    LEVEL = "level"
    """How things stood: memory, space, heat."""
    OTHER = "other"


WEIGHTS = {Role.RESPONSE: 3.0, Role.LOSS: 3.0, Role.DEMAND: 1.5, Role.MIX: 2.5, Role.LEVEL: 1.0, Role.OTHER: 0.4}
"""What a difference means for work: a wait that trebled stands above a counter that did."""
_ROLES: tuple[tuple[Role, str], ...] = (
    (
        Role.RESPONSE,
        r"disk\.(read\.|write\.)?wait|disk\.queue|stall\..*\.some|cpu\.(waiting|blocked|steal|quota|iowait)",
    ),
    (Role.RESPONSE, r"memory\.(faults\.major|refaults)|swap\.(in|out)|cpu\.throttles"),
    (Role.LOSS, r"net\.(receive|send)\.(errors|drops)|net\.tcp\.(resent|resets|failed_opens|listen_overflows|errors)"),
    (Role.LOSS, r"net\.backlog\.(dropped|squeezed)|net\.udp\.buffer_errors|memory\.oom_kills|log\.errors.*"),
    (Role.DEMAND, r"cpu\.(busy|user|system)|disk\.(read|write)\.(rate|requests)|net\.(receive|send)\.(rate|packets)"),
    (Role.DEMAND, r"net\.tcp\.(opened|accepted)|cpu\.forks|log\.lines.*"),
    (Role.MIX, r"disk\.(read|write)\.size"),
    (Role.LEVEL, r"memory\.(available|programs|cache|kernel|shared|total|dirty)|swap\.held|filesystem\.(use|inodes)"),
    (Role.LEVEL, r"heat\.temperature|cpu\.(hottest|speed)|disk\.busy|net\.tcp\.(established|close_wait)"),
)
_LEFT_OUT = re.compile(
    r"cpu\.(idle|runnable|load\..*)|.*\.strain|stall\..*\.full|memory\.(used|free|other|active\..*|inactive\..*)"
    r"|swap\.(total|disk\..*|device\..*)|net\.(receive|send)\.use|filesystem\.(used|free)"
)
"""What repeats others: complements, the damped load, shares of what is there as bytes, strain."""
# Below these a value is next to nothing, so that twice as much of it is nothing, too.
_NEXT_TO_NOTHING: dict[Unit, float] = {
    Unit.SHARE: 0.02, Unit.CORES: 0.05, Unit.TASKS: 0.2, Unit.BYTES: 32 * 2**20, Unit.BYTES_PER_S: 128 * 2**10,
    Unit.PER_S: 5.0, Unit.SECONDS: 0.5e-3, Unit.COUNT: 1.0, Unit.CELSIUS: 20.0, Unit.PER_MIN: 300.0, Unit.WATTS: 5.0,
    Unit.HERTZ: 0.5e9,
}  # fmt: skip


LINES_A_SECOND = 1 / 600
"""A line in ten minutes is next to nothing."""


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a measure tells of work, and below what its values are next to nothing."""

    role: Role
    weight: float
    floor: float


@lru_cache(maxsize=512)
def meaning_of(measure: Measure) -> Meaning | None:
    """None for a measure that repeats what others tell."""
    if _LEFT_OUT.fullmatch(measure.name):
        return None
    role = next((role for role, names in _ROLES if re.fullmatch(names, measure.name)), Role.OTHER)
    floor = _NEXT_TO_NOTHING[measure.unit]
    if measure.unit is Unit.BYTES and measure.name.endswith(".size"):
        floor = 4_096.0
    if measure.resource is Resource.LOG:
        floor = LINES_A_SECOND
    elif measure.unit is Unit.PER_S and role is Role.LOSS:
        floor = 0.2
    return Meaning(role, WEIGHTS[role], floor)
