"""Leave devices out, by the plan: what is not learned is not recorded."""

import re
from dataclasses import replace

from reditus.core.plan import DEVICES, Plan
from reditus.recorder.kernel_text import Field, Learn
from reditus.recorder.sources import cgroups
from reditus.recorder.sources.source import Source

_NUMBER = re.compile(rb"\d+")


def chosen(source: Source, plan: Plan) -> Source:
    """The source without the devices that the plan leaves out, and with the control groups that it names."""
    if plan.control_groups and source.group == cgroups.SOURCE.group:
        source = cgroups.with_named(source, plan.control_groups)
    return replace(source, learn=_choosing(source.learn, plan)) if plan.devices else source


def leaves_out_idle(plan: Plan) -> bool:
    """Whether a device that begins to do something has to be looked for."""
    return any(not choice.idle for choice in plan.devices.values())


def _choosing(learn: Learn, plan: Plan) -> Learn:
    def chosen_fields(text: bytes) -> list[Field]:
        fields = [field for field in learn(text) if plan.takes(field.column)]
        for kind, choice in plan.devices.items():
            if not choice.idle:
                fields = _active(fields, text, DEVICES[kind])
        return fields

    return chosen_fields


def _active(fields: list[Field], text: bytes, attribute: str) -> list[Field]:
    """Without the devices of which every number is 0."""
    active = {
        device
        for field in fields
        if (device := field.column.attribute(attribute)) is not None and _value(text, field.at)
    }
    return [field for field in fields if (device := field.column.attribute(attribute)) is None or device in active]


def _value(text: bytes, at: int) -> int:
    found = _NUMBER.match(text, at)
    return int(found[0]) if found else 0
