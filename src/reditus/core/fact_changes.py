"""What is different about a machine between two times, or between two machines, in sentences."""

from collections.abc import Mapping
from typing import Any

from reditus.core.facts import HostFacts
from reditus.core.types import Json

MOST = 200
_PLAIN = {
    "kernel": "kernel",
    "cores": "cores",
    "memory_bytes": "memory",
    "model": "processor",
    "virtual": "hypervisor",
    "timezone": "clock",
}
_PARTS = {
    "disks": "disk",
    "links": "interface",
    "mounts": "filesystem",
    "swaps": "swap",
    "groups": "limit of group",
}


def fact_changes(before: HostFacts, after: HostFacts) -> list[str]:
    """One sentence for each part that came, went or became another, MOST at most; in the order in which a person asks
    for them. What is known on one side only is no change.
    """
    old, new = before.as_json(), after.as_json()
    out = [
        f"{title}: {_spelled(old[key], key)} → {_spelled(new[key], key)}"
        for key, title in _PLAIN.items()
        if old[key] is not None and new[key] is not None and old[key] != new[key]
    ]
    if old["boot"] and new["boot"] and old["boot"] != new["boot"]:
        out.append("the machine was restarted")
    for key, title in _PARTS.items():
        out += _part_changes(title, old[key], new[key])
    out += _ports(old["listening"], new["listening"])
    return out[:MOST]


def _part_changes(title: str, old: Mapping[str, Json], new: Mapping[str, Json]) -> list[str]:
    if not old or not new:
        return [] if title != "limit of group" else [f"{title} {name} came" for name in new]
    out = [f"{title} {name} came" for name in new if name not in old]
    out += [f"{title} {name} went" for name in old if name not in new]
    for name in new:
        if name in old:
            out += [
                f"{title} {name}, {key.replace('_', ' ')}: {_spelled(value, key)} → {_spelled(new[name].get(key), key)}"
                for key, value in old[name].items()
                if value is not None and new[name].get(key) is not None and new[name].get(key) != value
            ]
    return out


def _ports(old: list[Json] | None, new: list[Json] | None) -> list[str]:
    if old is None or new is None:
        return []
    before, after = ({(item["protocol"], item["port"]): item["program"] for item in ports} for ports in (old, new))
    came = [
        f"{protocol} port {port} is listened at by {program or 'an unknown program'}"
        for (protocol, port), program in after.items()
        if (protocol, port) not in before
    ]
    return came + [
        f"{protocol} port {port} is listened at no more" for protocol, port in before if (protocol, port) not in after
    ]


def _spelled(value: Any, key: str) -> str:
    if key.endswith("_bytes") and isinstance(value, int):
        return f"{value / 2**30:.4g} GiB" if value >= 2**30 else f"{value / 2**20:.4g} MiB"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        return ", ".join(map(str, value)) or "none"
    return str(value)
