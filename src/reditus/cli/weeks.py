"""`weeks`: a host over weeks, as the page *Over weeks* shows it."""

import json
from typing import Annotated, Any

import typer
from rich.console import Console

from reditus.cli.client import Client
from reditus.cli.console import out
from reditus.cli.reports import spell_value
from reditus.cli.service import service, settings_of_environment

MOST_SHOWN = 15
DAY_S = 86_400


def weeks_of_host(
    archive: Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive of the host.")],
    start: Annotated[str | None, typer.Option("--from", help="RFC 3339.")] = None,
    end: Annotated[str | None, typer.Option("--to", help="RFC 3339.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Say since when a host is as it is: strained days, what changed slowly, and how long there is room."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        query = {key: value for key, value in (("from", start), ("to", end)) if value}
        answer = client.weeks(found["id"], query)
    if as_json:
        print(json.dumps(answer, indent=1))
    else:
        show_weeks(answer, out)


def show_weeks(answer: dict[str, Any], console: Console) -> None:
    """Days first, then what changed, the most telling first, then what runs out."""

    def say(line: str) -> None:
        console.print(line, markup=False, highlight=False, soft_wrap=True)

    say(f"{answer['host']}, {answer['start'][:10]} to {answer['end'][:10]}, {len(answer['archives'])} archives (UTC)")
    if not answer["knows_weeks"]:
        say("There are fewer than two weeks: a weekend may pass for a change yet.")
    for row in answer["strain"]:
        say(f"  {row['resource']:<10} {_strained(row)}")
    say("What changed slowly:" if answer["changes"] else "Nothing changed its level for good, and nothing creeps.")
    for change in answer["changes"][:MOST_SHOWN]:
        who = ", ".join(change["devices"]) or change["device"] or "the machine"
        say(f"  {change['title']}, {who}")
        for before, stretch in zip([None, *change["stretches"]], change["stretches"], strict=False):
            if before is not None or stretch["first"] != stretch["last"]:
                say(f"    {_stretch(change['unit'], before, stretch)}")
    if len(answer["changes"]) > MOST_SHOWN:
        say(f"  {len(answer['changes']) - MOST_SHOWN} more with --json")
    for left in answer["left"]:
        until = "or more" if left["days_high"] is None else f"to {left['days_high']:.1f}"
        name = left["device"] or left["title"]
        say(f"{name}: {left['then']} in {left['days']:.1f} days ({left['days_low']:.1f} {until}), 90 % sure")


def _strained(row: dict[str, Any]) -> str:
    of = f"on {row['days']} of {row['of']} days"
    hours = ", ".join(f"{hour:02d}" for hour in row["at_hours"])
    words = {"never": "never strained", "constant": f"strained nearly all the time, {of}",
             "daily": f"every day, in the hours from {hours} UTC", "intermittent": f"now and then, {of}"}  # fmt: skip
    return words[row["how"]]


def _stretch(unit: str, before: dict[str, Any] | None, stretch: dict[str, Any]) -> str:
    about = "about " if stretch["uncertainty_s"] > DAY_S / 2 else ""
    since = "" if before is None else f" since {about}{stretch['start'][:16].replace('T', ' ')}"
    first, last = spell_value(stretch["first"], unit), spell_value(stretch["last"], unit)
    if first != last:
        return f"creeping {'up' if stretch['last'] > stretch['first'] else 'down'}{since}, {first} to {last}"
    return f"{first}{since}" + ("" if before is None else f", was {spell_value(before['last'], unit)}")
