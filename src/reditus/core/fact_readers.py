"""Facts as they come from outside: each part is checked, and what is wrong is named with its place."""

from collections.abc import Mapping
from typing import Any

from reditus.core.errors import CoreError
from reditus.core.fact_parts import (
    DiskFacts,
    DiskRole,
    GroupFacts,
    HardwareFacts,
    LinkFacts,
    ListeningFacts,
    ModuleFacts,
    MountFacts,
    SensorFacts,
    SwapFacts,
)
from reditus.core.outside import MOST_WHOLE, shown, text_problem, whole_problem

MOST_DEVICES = 100_000
MOST_MODULES = 1_024
MOST_LISTENING = 4_096
MAX_TEXT = 500


class FactsError(CoreError, ValueError):
    """Facts of a host that cannot be."""


def read_disk(where: str, given: Any) -> DiskFacts:
    """What is known of a disk. Raise FactsError otherwise."""
    data = read_object(where, given)
    on = read_names(f"{where}.on", data.get("on"))
    try:
        role = DiskRole(data.get("role"))
    except ValueError:
        roles = ", ".join(item.value for item in DiskRole)
        raise FactsError(f"{where}.role: one of {roles}, not {shown(data.get('role'))}") from None
    return DiskFacts(
        role,
        on,
        read_flag(f"{where}.rotational", data.get("rotational")),
        read_text(f"{where}.model", data.get("model")),
        read_whole(f"{where}.size_bytes", data.get("size_bytes"), 0, MOST_WHOLE),
        read_text(f"{where}.scheduler", data.get("scheduler")),
    )


def read_link(where: str, given: Any) -> LinkFacts:
    """What is known of an interface. Raise FactsError otherwise."""
    data = read_object(where, given)
    speed = read_whole(f"{where}.speed_bits_per_s", data.get("speed_bits_per_s"), 0, MOST_WHOLE)
    return LinkFacts(
        speed,
        read_flag(f"{where}.physical", data.get("physical")),
        read_whole(f"{where}.mtu_bytes", data.get("mtu_bytes"), 0, MOST_WHOLE),
        read_text(f"{where}.driver", data.get("driver")),
        read_text(f"{where}.duplex", data.get("duplex")),
        read_flag(f"{where}.carrier", data.get("carrier")),
        read_names(f"{where}.addresses", data.get("addresses")),
    )


def read_mount(where: str, given: Any) -> MountFacts:
    """What is known of a mount. Raise FactsError otherwise."""
    data = read_object(where, given)
    return MountFacts(*(read_text(f"{where}.{part}", data.get(part)) for part in ("device", "kind", "options")))


def read_sensor(where: str, given: Any) -> SensorFacts:
    """What is known of a sensor. Raise FactsError otherwise."""
    data = read_object(where, given)
    high, critical = (read_number(f"{where}.{part}", data.get(part)) for part in ("high", "critical"))
    return SensorFacts(read_text(f"{where}.label", data.get("label")), high, critical)


def read_swap(where: str, given: Any) -> SwapFacts:
    """What is known of a place to swap to. Raise FactsError otherwise."""
    data = read_object(where, given)
    kind, disk = (read_text(f"{where}.{part}", data.get(part)) for part in ("kind", "disk"))
    return SwapFacts(kind, read_whole(f"{where}.size_bytes", data.get("size_bytes"), 0, MOST_WHOLE), disk)


def read_group(where: str, given: Any) -> GroupFacts:
    """The limits of a control group. Raise FactsError otherwise."""
    data = read_object(where, given)

    def whole(part: str) -> int | None:
        return read_whole(f"{where}.{part}", data.get(part), 0, MOST_WHOLE)

    return GroupFacts(
        cores=read_number(f"{where}.cores", data.get("cores")),
        memory_bytes=whole("memory_bytes"),
        memory_high_bytes=whole("memory_high_bytes"),
        swap_bytes=whole("swap_bytes"),
        tasks=whole("tasks"),
        io=read_names(f"{where}.io", data.get("io")),
    )


def read_hardware(where: str, given: Any) -> HardwareFacts:
    """What the machine is made of. Raise FactsError otherwise."""
    data = read_object(where, given)
    modules = data.get("modules") or []
    if not isinstance(modules, list) or len(modules) > MOST_MODULES:
        raise FactsError(f"{where}.modules: a list of at most {MOST_MODULES} slots, not {shown(modules)}")

    def text(part: str) -> str | None:
        return read_text(f"{where}.{part}", data.get(part))

    def whole(part: str) -> int | None:
        return read_whole(f"{where}.{part}", data.get(part), 0, MOST_WHOLE)

    return HardwareFacts(
        product=text("product"),
        board=text("board"),
        sockets=whole("sockets"),
        physical_cores=whole("physical_cores"),
        caches=read_names(f"{where}.caches", data.get("caches")),
        lowest_hz=whole("lowest_hz"),
        highest_hz=whole("highest_hz"),
        modules=tuple(read_module(f"{where}.modules[{at}]", module) for at, module in enumerate(modules)),
        problem=text("problem"),
    )


def read_module(where: str, given: Any) -> ModuleFacts:
    """A slot for memory. Raise FactsError otherwise."""
    data = read_object(where, given)
    size, speed = (
        read_whole(f"{where}.{part}", data.get(part), 0, MOST_WHOLE) for part in ("size_bytes", "speed_per_s")
    )
    kind, maker = (read_text(f"{where}.{part}", data.get(part)) for part in ("kind", "maker"))
    return ModuleFacts(read_name(f"{where}.slot", data.get("slot")), size, kind, speed, maker)


def read_listening(where: str, given: Any) -> tuple[ListeningFacts, ...] | None:
    """The ports that are listened at, or None. Raise FactsError otherwise."""
    if given is None:
        return None
    if not isinstance(given, list) or len(given) > MOST_LISTENING:
        raise FactsError(f"{where}: a list of at most {MOST_LISTENING} ports, not {shown(given)}")
    return tuple(_listening(f"{where}[{at}]", item) for at, item in enumerate(given))


def _listening(where: str, given: Any) -> ListeningFacts:
    data = read_object(where, given)
    port = read_whole(f"{where}.port", data.get("port"), 0, 65_535)
    if port is None:
        raise FactsError(f"{where}.port: a number up to 65535, not {shown(None)}")
    return ListeningFacts(
        read_name(f"{where}.protocol", data.get("protocol")),
        read_name(f"{where}.address", data.get("address")),
        port,
        read_text(f"{where}.program", data.get("program")),
        read_text(f"{where}.user", data.get("user")),
    )


def read_names(where: str, given: Any) -> tuple[str, ...]:
    """A list of texts, empty where there is none. Raise FactsError otherwise."""
    listed = given or []
    if not isinstance(listed, list) or len(listed) > MOST_DEVICES:
        raise FactsError(f"{where}: a list of at most {MOST_DEVICES} names, not {shown(listed)}")
    return tuple(read_name(where, item) for item in listed)


def read_number(where: str, given: Any) -> float | None:
    """A number, or None. Raise FactsError otherwise."""
    if given is None:
        return None
    if isinstance(given, bool) or not isinstance(given, int | float) or not abs(given) <= MOST_WHOLE:
        raise FactsError(f"{where}: a number, not {shown(given)}")
    return float(given)


def read_object(where: str, given: Any) -> Mapping[str, Any]:
    """A JSON object of bounded size. Raise FactsError otherwise."""
    if not isinstance(given, dict) or len(given) > MOST_DEVICES:
        raise FactsError(f"{where}: an object of at most {MOST_DEVICES} parts, not {shown(given)}")
    return given


def read_whole(where: str, given: Any, least: int, most: int) -> int | None:
    """A whole number between two bounds, or None. Raise FactsError otherwise."""
    if given is not None and (problem := whole_problem(given, least, most)):
        raise FactsError(f"{where}: {problem}")
    return given  # type: ignore[no-any-return]  # just checked


def read_text(where: str, given: Any) -> str | None:
    """A text that can be printed, or None. Raise FactsError otherwise."""
    return None if given is None else read_name(where, given)


def read_name(where: str, given: Any) -> str:
    """A text that can be printed. Raise FactsError otherwise."""
    if problem := text_problem(given, MAX_TEXT):
        raise FactsError(f"{where}: {problem}")
    return str(given)


def read_flag(where: str, given: Any) -> bool | None:
    """True, false or None. Raise FactsError otherwise."""
    if given is not None and not isinstance(given, bool):
        raise FactsError(f"{where}: true, false or null, not {shown(given)}")
    return given
