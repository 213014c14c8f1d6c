"""A report as Reditus prepares it: Markdown with exhibits by reference, for the analyst to write on."""

from collections.abc import Sequence

from reditus.analysis.report.clock import Clock
from reditus.analysis.report.dossier import Dossier, Numbered
from reditus.analysis.report.spelled import spell_versions
from reditus.core.durations import spell_duration
from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S
from reditus.exchange.bundle.fields import Hypothesis

STILL_OPEN = "*still open*"
STATES = {"open": "Open", "supported": "Supported", "excluded": "Excluded"}


def plain(text: str) -> str:
    """Text as it stands in Markdown, none of its letters taken for a mark.

    >>> plain("a_b | *c* <d>")
    'a\\\\_b \\\\| \\\\*c\\\\* \\\\<d>'
    """
    out = "".join(f"\\{letter}" if letter in "\\`*_[]<|#" else letter for letter in text)
    return " ".join(out.split())


def prepared_report(dossier: Dossier) -> str:
    """Question, answer first, the complaint, timeline, evidence, what was ruled out, what to do next, and how it was
    measured.
    """
    clock = Clock(dossier.exhibits[0].content.zone if dossier.exhibits else "UTC")
    fields = dossier.fields
    parts = [
        f"# {plain(dossier.question)}",
        "## Answer",
        plain(fields.answer) if fields.answer else _answer(dossier),
        "## The complaint",
        _complaint(dossier, clock),
    ]
    if dossier.exhibits:
        parts += ["## Timeline", _timeline(dossier.exhibits, clock), "## Evidence"]
        parts += [_evidence(item) for item in dossier.exhibits]
    excluded = [item for _, item in dossier.hypotheses if item.state == "excluded"]
    parts.append("## What was ruled out")
    parts.append(
        "\n".join(f"- **{plain(item.text)}**{_because(item, dossier)}" for item in excluded) or "Nothing was ruled out."
    )
    still = [item for _, item in dossier.hypotheses if item.state == "open"]
    if still:
        parts += [
            "## What is still open",
            "\n".join(f"- {plain(item.text)}{_because(item, dossier)}" for item in still),
        ]
    parts += ["## What to do next", plain(fields.next) if fields.next else STILL_OPEN]
    parts += ["## How it was measured", _measured(dossier.exhibits, clock)]
    return "\n\n".join(parts) + "\n"


def _answer(dossier: Dossier) -> str:
    supported = [item for _, item in dossier.hypotheses if item.state == "supported"]
    if not supported:
        return STILL_OPEN
    return "\n\n".join(f"**{plain(item.text)}**{_because(item, dossier)}" for item in supported)


def _because(item: Hypothesis, dossier: Dossier) -> str:
    numbers = dossier.numbers
    said = []
    for words, ids in (("for it", item.supporting), ("against it", item.opposing)):
        found = sorted(numbers[key] for key in ids if key in numbers)
        if found:
            said.append(f"{words}: {'exhibit' if len(found) == 1 else 'exhibits'} {', '.join(map(str, found))}")
    return f" ({'; '.join(said)})" if said else ""


def _complaint(dossier: Dossier, clock: Clock) -> str:
    fields = dossier.fields
    window = fields.window
    spelled = "" if window is None else clock.window(parse_time(window.start), parse_time(window.end))
    when = ", ".join(part for part in (spelled, fields.when or "", fields.pattern or "") if part)
    rows = [
        ("noticed by", fields.noticed), ("when", when), ("since", fields.since), ("where", fields.where),
        ("not affected", fields.unaffected), ("usual", fields.usual), ("changed", fields.changed),
    ]  # fmt: skip
    lines = ["| of the complaint | what is known |", "|---|---|"]
    return "\n".join([*lines, *(f"| {name} | {plain(value) if value else STILL_OPEN} |" for name, value in rows)])


def _timeline(exhibits: Sequence[Numbered], clock: Clock) -> str:
    rows = ["| when | what |", "|---|---|"]
    for item in sorted(exhibits, key=lambda each: (each.content.start_ns, each.number)):
        content = item.content
        if content.kind == "facts":
            continue
        is_moment = content.end_ns - content.start_ns <= NS_PER_S
        when = clock.instant(content.start_ns) if is_moment else clock.window(content.start_ns, content.end_ns)
        rows.append(f"| {when} | {plain(item.heading)} (exhibit {item.number}) |")
    return "\n".join(rows)


def _evidence(item: Numbered) -> str:
    return f"### {item.number}. {plain(item.heading)}\n\n![{plain(item.content.title)}](exhibit:{item.id})"


def _measured(exhibits: Sequence[Numbered], clock: Clock) -> str:
    if not exhibits:
        return "No exhibit is pinned yet."
    rows = ["| host | archive | interval | recorded | exhibits |", "|---|---|---|---|---|"]
    sources: dict[tuple[str, str], list[Numbered]] = {}
    for item in exhibits:
        source = item.content.source
        sources.setdefault((source.host_name, source.archive_name), []).append(item)
    for (host, archive), found in sources.items():
        every = {item.content.source.interval_s for item in found} - {None}
        interval = ", ".join(spell_duration(length) for length in sorted(filter(None, every)))
        covered = [item.content.source.coverage for item in found if item.content.source.coverage is not None]
        share = f"{min(covered):.1%} or more of each window" if covered else "nothing"
        numbers = ", ".join(str(item.number) for item in found)
        rows.append(f"| {plain(host)} | {plain(archive)} | {interval} | {share} | {numbers} |")
    versions = sorted({spell_versions(item.content) for item in exhibits})
    first = exhibits[0].content
    zone = clock.name(first.start_ns, first.end_ns)
    return "\n".join([*rows, "", f"Times are by the clock of {zone}. Numbers were made by {'; '.join(versions)}."])
