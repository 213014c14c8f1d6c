"""Archives and diagnoses as text."""

from typing import Any

from rich.console import Console
from rich.table import Table
from rich.text import Text

from reditus.cli.markers import labelled
from reditus.core.counters import Counter
from reditus.core.durations import spell_duration
from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S
from reditus.server.schemas import CounterOut

MOST_TIMES = 8
MOSTLY_RECORDED = 0.9
"""With less than this of a resource attributed to recorded processes, that is said."""


def show_archives(archives: list[dict[str, Any]], console: Console) -> None:
    """Print archives as a table."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for title in ("archive", "host", "name", "source", "from", "to"):
        table.add_column(title, no_wrap=True)
    for title in ("ticks", "coverage", "counters", "size"):
        table.add_column(title, justify="right", no_wrap=True)
    for archive in archives:
        table.add_row(
            archive["id"][:8],
            Text(archive["host"]["name"]),
            Text(archive["name"]),
            archive["source"],
            _short(archive["start"]),
            _short(archive["end"]),
            f"{archive['ticks']:,}",
            f"{archive['coverage']:.1%}",
            str(archive["columns"]),
            _size(archive["size_bytes"]),
        )
    console.print(table if archives else "No archives yet. `./reditus record --for 60s` makes one.")


def show_archive(archive: dict[str, Any], gaps: dict[str, Any], console: Console) -> None:
    """Print one archive with its gaps."""
    console.print(Text(f"{archive['host']['name']}: {archive['name']}", style="bold"))
    rows = [
        ("from, to", f"{_short(archive['start'])}, {_short(archive['end'])}"),
        ("ticks", f"{archive['ticks']:,} of {archive['columns']} counters, {_size(archive['size_bytes'])}"),
        (
            "coverage",
            f"{archive['coverage']:.2%}; {gaps['total']} gaps, {spell_duration(round(gaps['seconds']))} in all",
        ),
        ("source", archive["source"]),
    ]
    if archive["protected"]:
        rows.append(("protected", "nothing is removed from it"))
    if archive["deleted"]:
        rows.append(("deleted", f"{_short(archive['deleted'])}; removed within about a minute, unless restored"))
    if archive["notes"]:
        rows.append(("notes", archive["notes"]))
    for title, text in rows:
        console.print(f"  {title:<10}{text}", markup=False, highlight=False)
    for gap in gaps["gaps"]:
        length = spell_duration(round((parse_time(gap["end"]) - parse_time(gap["start"])) / NS_PER_S))
        reason = gap["reason"] or "unexplained"
        console.print(f"  gap       {_short(gap['start'])}  {length:>8}  {reason}", markup=False, highlight=False)


def holds(counter: Counter, text: str) -> bool:
    """Whether a counter's name, title, help or source holds a text, whatever its case."""
    return text.lower() in f"{counter.name} {counter.title} {counter.help} {counter.source}".lower()


def counter_as_json(counter: Counter) -> dict[str, Any]:
    """A counter as the API has it."""
    return CounterOut.of(counter).model_dump(mode="json")


def show_counters(counters: list[Counter], console: Console) -> None:
    """Print counters with what they mean."""
    for counter in counters:
        text = counter_as_json(counter)
        by = f", by {', '.join(text['attributes'])}" if text["attributes"] else ""
        console.print(Text(counter.name, style="bold"))
        console.print(f"  {counter.title}. {counter.help}", markup=False)
        console.print(f"  {counter.kind.value}, in {counter.unit}{by}; from {counter.source}", markup=False)


def show_diagnosis(
    archive: dict[str, Any],
    diagnosis: dict[str, Any],
    console: Console,
    names: dict[str, dict[str, str]] | None = None,
) -> None:
    """`names` is what people call the devices."""
    window = diagnosis["window"]
    console.print(Text(f"{diagnosis['host']} · {archive['name']}", style="bold"))
    console.print(f"{_short(window['from'])} to {_short(window['to'])}, {window['coverage']:.1%} observed (UTC)\n")
    findings, ruled_out = diagnosis["findings"], diagnosis["ruled_out"]
    console.print(Text("Findings" if findings else "Findings: none", style="bold"))
    for finding in findings:
        onset = finding["onset"]
        about = "about " if finding["time_lost_estimated"] else ""
        harm = finding["harm"]
        lost = f"{about}{spell_duration(harm['seconds'])} {harm['of']}" if harm["seconds"] else "cost unknown"
        console.print(
            f"\n{_titled(finding)}  [{finding['kind']}]\n"
            f"  {_short(finding['start'])} to {_short(finding['end'])}; began {_short(onset['at'])}, ± "
            f"{spell_duration(onset['uncertainty_s'])}\n"
            f"  {lost}; confidence {finding['confidence']:.0%}\n"
            f"  {finding['explanation']}{_because(finding, findings)}",
            markup=False,
        )
        if finding["pattern"]["period_s"]:
            console.print(f"  again every {spell_duration(finding['pattern']['period_s'])}", markup=False)
        if len(finding["occurrences"]) > 1:
            times = [f"{_short(item['start'])} to {_short(item['end'])}" for item in finding["occurrences"]]
            rest = f" and {len(times) - MOST_TIMES} times more" if len(times) > MOST_TIMES else ""
            console.print(f"  each time: {'; '.join(times[:MOST_TIMES])}{rest}", markup=False)
        _show_evidence(finding["evidence"], console, names or {})
        if finding["processes"]:
            parts = (f"{item['name'] or '?'} ({item['pid']}) {item['share']:.0%}" for item in finding["processes"])
            console.print(f"  processes, by {finding['shares_of']}: {', '.join(parts)}", markup=False)
        recorded = finding["recorded_share"]
        if recorded is not None and recorded < MOSTLY_RECORDED:
            console.print(f"  {1 - recorded:.0%} not attributed: what had it was not recorded", markup=False)
        if finding["verdict"]:
            said = finding["verdict"]
            console.print(f"  {said['state']}{': ' if said['remark'] else ''}{said['remark']}", markup=False)
        for line in finding["considered"]:
            console.print(f"  considered: {line}", markup=False)
        for line in finding["next"]:
            console.print(f"  next: {line}", markup=False)
    console.print(Text("\nRuled out" if ruled_out else "\nRuled out: nothing", style="bold"))
    for excluded in ruled_out:
        console.print(
            f"\n{_titled(excluded)}  [{excluded['kind']}]\n"
            f"  {_short(excluded['start'])} to {_short(excluded['end'])}\n"
            f"  {excluded['explanation']}",
            markup=False,
        )
        _show_evidence(excluded["evidence"], console, names or {})
    if diagnosis["unjudged"]:
        console.print(Text("\nNot judged", style="bold"))
    for item in diagnosis["unjudged"]:
        console.print(f"  {item['subject']}: {item['reason']}", markup=False)


def _titled(finding: dict[str, Any]) -> str:
    return f"{finding['title']}, {finding['device']}" if finding["device"] else str(finding["title"])


def _because(finding: dict[str, Any], findings: list[dict[str, Any]]) -> str:
    """What it came of, in words."""
    causes = [_titled(item).lower() for item in findings if item["id"] in finding["caused_by"]]
    return f"\n  caused by: {', '.join(causes)}" if causes else ""


def _show_evidence(evidence: list[dict[str, Any]], console: Console, names: dict[str, dict[str, str]]) -> None:
    for item in evidence:
        of = f" of {labelled(names, item['measure'], item['device'])}" if item["device"] else ""
        against = (
            "" if item["threshold"] is None else f" ({item['reads']} {spell_value(item['threshold'], item['unit'])})"
        )
        console.print(f"  {item['measure']}{of}: {spell_value(item['value'], item['unit'])}{against}", markup=False)


def spell_value(value: float, unit: str) -> str:
    """In the unit that people read it in: 12668247900.98 bytes are 11.8 GiB, and 0.0244 s are 24.4 ms."""
    match unit:
        case "share":
            return f"{value:.0%} of time"
        case "bytes" | "bytes/s":
            return f"{_size(value)}{unit.removeprefix('bytes')}"
        case "s":
            return f"{value * 1_000:.1f} ms" if abs(value) < 1 else f"{value:.2f} s"
        case "count":
            return f"{value:,.0f}"
        case "1/s":
            return f"{value:,.0f}/s" if value >= 10 else f"{value:.2f}/s"
        case _:
            return f"{value:.2f} {unit.removesuffix('s') if value == 1 else unit}"


def _short(time: str | None) -> str:
    return "-" if time is None else time[:19].replace("T", " ")


def _size(size_bytes: float) -> str:
    for unit in ("B", "KiB", "MiB", "GiB"):
        if size_bytes < 1024:
            return f"{size_bytes:.0f} {unit}" if unit == "B" else f"{size_bytes:.1f} {unit}"
        size_bytes /= 1024
    return f"{size_bytes:.1f} TiB"
