"""What the machine is made of, as /sys and its firmware tell it: processors, memory modules, sensors, links, mounts."""

import fcntl
import ipaddress
import re
import socket
import struct
from collections.abc import Iterator
from pathlib import Path

from reditus.core.fact_readers import MAX_TEXT
from reditus.core.facts import HardwareFacts, LinkFacts, MountFacts, SensorFacts
from reditus.core.smbios import MOST_BYTES, Firmware, read_firmware
from reditus.recorder.filesystems import mounted

DMI_TABLE = "sys/firmware/dmi/tables/DMI"
MOST_ADDRESSES = 16
MILLI = 1_000
_INTERFACE_ADDRESS, _INTERFACE_MASK = 0x8915, 0x891B
"""SIOCGIFADDR and SIOCGIFNETMASK of netdevice(7)."""
# Some filesystems take what opens them as options, or in the name of what is mounted.
_SECRET = re.compile(r"pass|secret|token|cred|key", re.IGNORECASE)
_USER = re.compile(r"//[^/@]*@")
_LIMITS = re.compile(r"^temp\d+$")


def text_of(path: Path) -> str | None:
    """The file's text without surrounding blanks, or None where there is none to read."""
    try:
        return path.read_text(errors="replace").strip() or None
    except OSError:
        return None


def plain(text: str | None) -> str | None:
    """In the form that facts may have, whatever the kernel, a maker or a program wrote: one line, printable, of bounded
    length; None for nothing.
    """
    if text is None:
        return None
    line = " ".join("".join(letter if letter.isprintable() else " " for letter in text).split())
    return (line if len(line) <= MAX_TEXT else f"{line[: MAX_TEXT - 1]}…") or None


def words_of(path: Path) -> str | None:
    """A file's text as a fact; None where there is none."""
    return plain(text_of(path))


def number_of(path: Path) -> int | None:
    """A file's whole number; None where there is none."""
    text = text_of(path)
    return int(text) if text and re.fullmatch(r"-?\d{1,18}", text) else None


def entries_of(folder: Path) -> list[Path]:
    """What is in a folder, in order; nothing where there is no folder."""
    try:
        return sorted(folder.iterdir())
    except OSError:
        return []


def hardware_facts(base: Path) -> HardwareFacts:
    """Firmware where it may be read (mostly by root alone), else what /sys/class/dmi/id tells everybody."""
    firmware = _firmware(base)
    ids = base / "sys/class/dmi/id"
    product = _joined(firmware.maker, firmware.model) or _joined(
        words_of(ids / "sys_vendor"), words_of(ids / "product_name")
    )
    board = firmware.board or _joined(words_of(ids / "board_vendor"), words_of(ids / "board_name"))
    processors = base / "sys/devices/system/cpu"
    packages, cores = _topology(processors)
    speeds = processors / "cpu0/cpufreq"
    lowest, highest = (number_of(speeds / f"cpuinfo_{end}_freq") for end in ("min", "max"))
    return HardwareFacts(
        product=product,
        board=board,
        sockets=packages or firmware.sockets or None,
        physical_cores=cores or None,
        caches=tuple(_caches(processors / "cpu0/cache")),
        lowest_hz=lowest * 1_000 if lowest else None,
        highest_hz=highest * 1_000 if highest else None,
        modules=firmware.modules,
        problem=firmware.problem,
    )


def _firmware(base: Path) -> Firmware:
    try:
        with (base / DMI_TABLE).open("rb") as file:
            return read_firmware(file.read(MOST_BYTES + 1))
    except OSError:
        return Firmware()


def _joined(*parts: str | None) -> str | None:
    return " ".join(part for part in parts if part) or None


def _topology(processors: Path) -> tuple[int, int]:
    """Packages, and cores in all of them; 0 where the kernel does not tell."""
    found = set()
    for core in entries_of(processors):
        place = core / "topology"
        package, number = number_of(place / "physical_package_id"), number_of(place / "core_id")
        if package is not None and number is not None:
            found.add((package, number))
    return len({package for package, _ in found}), len(found)


def _caches(folder: Path) -> Iterator[str]:
    for entry in entries_of(folder):
        level, kind, size = (words_of(entry / part) for part in ("level", "type", "size"))
        if level and size:
            which = f" {kind.lower()}" if kind and kind != "Unified" else ""
            yield f"L{level}{which} {re.sub(r'K$', ' KiB', size)}"


def sensor_facts(base: Path) -> dict[str, SensorFacts]:
    """Of the temperatures and fans, under the names that their counters have (sources/sensors.py)."""
    out: dict[str, SensorFacts] = {}
    for monitor in entries_of(base / "sys/class/hwmon"):
        driver = words_of(monitor / "name") or ""
        for entry in sorted(monitor.glob("*_input")):
            part = entry.name.removesuffix("_input")
            name = " ".join(f"{monitor.name} {driver} {part}".split())
            limits: list[int | None] = [None, None]
            if _LIMITS.match(part):
                limits = [number_of(monitor / f"{part}_{end}") for end in ("max", "crit")]
            high, critical = (None if limit is None else limit / MILLI for limit in limits)
            out[name] = SensorFacts(words_of(monitor / f"{part}_label"), high, critical)
    for zone in entries_of(base / "sys/class/thermal"):
        if zone.name.startswith("thermal_zone") and (kind := words_of(zone / "type")):
            trips = {text_of(point): number_of(point.with_name(point.name.replace("_type", "_temp")))
                     for point in sorted(zone.glob("trip_point_*_type"))}  # fmt: skip
            high, critical = (
                None if limit is None else limit / MILLI for limit in (trips.get("hot"), trips.get("critical"))
            )
            out[f"{zone.name} {kind}"] = SensorFacts(None, high, critical)
    return out


def mount_facts(base: Path) -> dict[str, MountFacts]:
    """Of the filesystems that hold files, by where they are mounted."""
    return {
        item.mount: MountFacts(
            plain(_USER.sub("//", item.device)), plain(item.kind), plain(_without_secrets(item.options))
        )
        for item in mounted(base)
    }


def _without_secrets(options: str) -> str:
    return ",".join(option for option in options.split(",") if not _SECRET.search(option))


def link_facts(base: Path) -> dict[str, LinkFacts]:
    """Of every interface."""
    six = _six(base)
    own = base == Path("/")
    return {
        link.name: _link(link, tuple([*(_four(link.name) if own else ()), *six.get(link.name, ())][:MOST_ADDRESSES]))
        for link in entries_of(base / "sys/class/net")
    }


def _link(link: Path, addresses: tuple[str, ...]) -> LinkFacts:
    # A link that is down, or has no speed of its own, says -1 or refuses to be read.
    megabits = number_of(link / "speed") or 0
    carrier = number_of(link / "carrier")
    driver = link / "device/driver"
    return LinkFacts(
        speed_bits_per_s=megabits * 1_000_000 if megabits > 0 else None,
        physical=(link / "device").exists(),
        mtu_bytes=number_of(link / "mtu"),
        driver=plain(driver.resolve().name) if driver.exists() else None,
        duplex=words_of(link / "duplex"),
        carrier=None if carrier is None else carrier == 1,
        addresses=addresses,
    )


def _six(base: Path) -> dict[str, list[str]]:
    """IPv6 addresses by interface, from /proc/net/if_inet6."""
    out: dict[str, list[str]] = {}
    for line in (text_of(base / "proc/net/if_inet6") or "").splitlines():
        words = line.split()
        if len(words) == 6 and re.fullmatch(r"[0-9a-f]{32}", words[0]):
            address = ipaddress.IPv6Address(int(words[0], 16))
            out.setdefault(words[5], []).append(f"{address}/{int(words[2], 16)}")
    return out


def _four(name: str) -> tuple[str, ...]:
    """The interface's first IPv4 address; none where it has none."""
    request = struct.pack("256s", name.encode()[:15])
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as query:
        try:
            address, mask = (
                socket.inet_ntoa(fcntl.ioctl(query.fileno(), code, request)[20:24])
                for code in (_INTERFACE_ADDRESS, _INTERFACE_MASK)
            )
        except OSError:
            return ()
    return (str(ipaddress.IPv4Interface(f"{address}/{mask}")),)
