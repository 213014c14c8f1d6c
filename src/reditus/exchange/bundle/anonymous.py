"""Every place of a bundle in which a name can stand, and its substitute put there."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from reditus.core.counters import CGROUP, COUNTERS, MOUNT
from reditus.core.facts import HostFacts
from reditus.core.identities import Identities, Identity
from reditus.core.markers import Marker
from reditus.core.schema import Column, Schema
from reditus.exchange.bundle.contents import Content, Sentences, Table
from reditus.exchange.bundle.fields import Fields
from reditus.exchange.bundle.pseudonyms import Category, Pseudonyms
from reditus.store.investigations.stretches import ArchiveStretch

_UNITS = (".service", ".scope", ".slice")
"""Endings of what service managers call their groups: tables by service show them without the rest of the path."""
_PLAIN_DEVICE = re.compile(r"/dev/[a-z0-9]+")
_NAMED = {
    "process": Category.PROCESSES, "program": Category.PROCESSES, "group": Category.PROCESSES,
    "service": Category.PROCESSES, "user": Category.USERS,
}  # fmt: skip
"""Tables whose first column is of names, also where the archive that they come from is gone or stays at home."""
_BARE = re.compile(r" \d+$|, \d+ processes$")
"""What stands behind a name in them: the number of a process, or how many there are."""
_ATTRIBUTES = {MOUNT: Category.MOUNTS, CGROUP: Category.PROCESSES}


def collect(names: Pseudonyms, stretches: Sequence[ArchiveStretch], contents: Iterable[Content]) -> None:
    """Make a substitute for every name that stands anywhere by itself, so that sentences can be searched for them."""
    for stretch in stretches:
        anonymous_stretch(names, stretch)
        for identities in stretch.identities:
            for item in identities.processes:
                for unit in item.group.split("/"):
                    if unit.endswith(_UNITS):
                        names.of(Category.PROCESSES, unit)
    for content in contents:
        names.of(Category.HOSTS, content.source.host_name)
        if content.kind == "log":
            anonymous_content(names, content)
        for part in content.parts:
            if isinstance(part, Table) and part.heads[0].title in _NAMED:
                for row in part.rows:
                    names.of(_NAMED[part.heads[0].title], _BARE.sub("", str(row[0])))


def anonymous_stretch(names: Pseudonyms, stretch: ArchiveStretch) -> ArchiveStretch:
    """A stretch with substitutes for names."""
    schemas = {schema.digest: _schema(names, schema) for schema in stretch.schemas}
    return replace(
        stretch,
        host_name=names.of(Category.HOSTS, stretch.host_name),
        name=names.within(stretch.name),
        facts=[(since_ns, _facts(names, facts)) for since_ns, facts in stretch.facts],
        schemas=list(schemas.values()),
        blocks=[replace(block, schema=schemas[block.schema].digest) for block in stretch.blocks],
        identities=[
            Identities(item.archive, item.boot, tuple(_identity(names, each) for each in item.processes))
            for item in stretch.identities
        ],
        markers=[_marker(names, marker) for marker in stretch.markers],
        device_names={
            kind: {_device(names, kind, device): names.within(name) for device, name in every.items()}
            for kind, every in stretch.device_names.items()
        },
    )


def _schema(names: Pseudonyms, schema: Schema) -> Schema:
    columns = []
    for column in schema.columns:
        attributes = {
            key: names.of(_ATTRIBUTES[key], value) if key in _ATTRIBUTES else _unknown(names, column, value)
            for key, value in column.attributes
        }
        columns.append(
            Column.of(
                column.counter,
                attributes,
                unit=column.unit,
                kind=column.kind,
                scale=column.scale,
                bits=column.bits,
                double=column.double,
            )
        )
    return Schema(schema.group, schema.part, tuple(columns))


def _unknown(names: Pseudonyms, column: Column, value: str) -> str:
    """What others tell their columns apart by may be anything."""
    return value if column.counter in COUNTERS else names.of(Category.PROCESSES, value)


def _device(names: Pseudonyms, kind: str, device: str) -> str:
    if kind == "filesystem":
        return names.of(Category.MOUNTS, device)
    return names.of(Category.PROCESSES, device) if kind in ("cgroup", "log") else device


def _identity(names: Pseudonyms, item: Identity) -> Identity:
    hidden = Category.PROCESSES in names.categories
    return replace(
        item,
        name=names.of(Category.PROCESSES, item.name),
        user=names.of(Category.USERS, item.user),
        group=names.of(Category.PROCESSES, item.group),
        # A command line is a sentence of names of any kind.
        arguments=None if hidden else item.arguments,
    )


def _facts(names: Pseudonyms, facts: HostFacts) -> HostFacts:
    listening = facts.listening
    return replace(
        facts,
        mounts={
            names.of(Category.MOUNTS, mount): replace(item, device=_source_of(names, item.device))
            for mount, item in facts.mounts.items()
        },
        groups={names.of(Category.PROCESSES, group): item for group, item in facts.groups.items()},
        links={
            name: replace(link, addresses=tuple(names.of(Category.ADDRESSES, each) for each in link.addresses))
            for name, link in facts.links.items()
        },
        listening=None
        if listening is None
        else tuple(
            replace(
                item,
                address=names.of(Category.ADDRESSES, item.address),
                program=None if item.program is None else names.of(Category.PROCESSES, item.program),
                user=None if item.user is None else names.of(Category.USERS, item.user),
            )
            for item in listening
        ),
    )


def _source_of(names: Pseudonyms, device: str | None) -> str | None:
    """What is mounted: a share is called after the host that has it, and a volume as people like."""
    if device is None or _PLAIN_DEVICE.fullmatch(device):
        return device
    return names.of(Category.MOUNTS, device)


def _marker(names: Pseudonyms, marker: Marker) -> Marker:
    if marker.kind != "log":
        return replace(marker, text=names.within(marker.text), source=names.within(marker.source))
    return replace(
        marker,
        text=names.of(Category.LOGS, marker.text),
        source=_source(names, marker.source),
        log=names.of(Category.PROCESSES, marker.log) if marker.log else "",
    )


def _source(names: Pseudonyms, source: str) -> str:
    """A program that logged, with its number where that stands behind it."""
    program, bracket, rest = source.partition("[")
    return names.of(Category.PROCESSES, program) + bracket + rest


def anonymous_content(names: Pseudonyms, content: Content) -> Content:
    """An exhibit with substitutes for names; of lines of logs the lines themselves."""
    given = content.model_dump(mode="json")
    out = _everywhere(names, given)
    out["source"]["host_name"] = names.of(Category.HOSTS, content.source.host_name)
    if content.kind == "log":
        for shown, part in zip(out["parts"], content.parts, strict=True):
            if isinstance(part, Table):
                shown["rows"] = [
                    [at_ns, severity, _source(names, str(source)), names.of(Category.LOGS, str(line))]
                    for at_ns, severity, source, line in part.rows
                ]
        out["title"] = names.within(content.title.split(" that hold ")[0])
    if content.kind == "note" and Category.LOGS in names.categories:
        for shown, part in zip(out["parts"], content.parts, strict=True):
            if isinstance(part, Sentences):
                shown["lines"] = [names.within(line) for line in part.lines]
    return Content.model_validate(out)


_STRUCTURE = frozenset({"kind", "part", "resource", "unit", "names", "view", "host", "archive", "zone", "versions"})
"""Members whose values are words of the format, or ids."""


def _everywhere(names: Pseudonyms, value: Any, key: str = "") -> Any:
    if isinstance(value, str):
        return _view(names, value) if key == "view" else value if key in _STRUCTURE else names.within(value)
    if isinstance(value, list):
        return [_name(names, item) if key == "names" else _everywhere(names, item, key) for item in value]
    if isinstance(value, dict):
        return {
            inner: item if inner == "versions" else _everywhere(names, item, inner) for inner, item in value.items()
        }
    return value


def _view(names: Pseudonyms, view: str) -> str:
    """An address within Reditus: strips of processes or mounts in it would name them."""
    return view if names.within(view) == view else view.partition("?")[0]


def _name(names: Pseudonyms, series: str) -> str:
    """A series as it is requested: its device may be a mount or a program."""
    measure, at, device = series.partition("@")
    return f"{names.within(measure)}{at}{names.within(device)}"


def anonymous_fields(names: Pseudonyms, fields: Fields) -> Fields:
    """What people wrote, with substitutes for names."""
    return Fields.model_validate(_texts(names, fields.model_dump(mode="json", exclude_unset=True)))


def _texts(names: Pseudonyms, value: Any) -> Any:
    if isinstance(value, str):
        return names.within(value)
    if isinstance(value, list):
        return [_texts(names, item) for item in value]
    return {key: _texts(names, item) for key, item in value.items()} if isinstance(value, Mapping) else value
