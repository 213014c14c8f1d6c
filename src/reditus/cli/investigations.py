"""Investigations on the command line: listed, shown, handed out and opened."""

import json
from pathlib import Path
from typing import Annotated, Any
from uuid import UUID

import typer

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.service import service, settings_of_environment
from reditus.core.durations import counted

investigating = typer.Typer(
    help="Investigations: list them, show one, hand one out as a report or a bundle, open a bundle.",
    no_args_is_help=True,
)
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]
Wanted = Annotated[str, typer.Argument(help="Id, beginning of an id, or a part of the question.")]
REPORTS = {".html": "report.html", ".pdf": "report.pdf", ".md": "report.zip"}
CATEGORIES = ("hosts", "users", "processes", "addresses", "mounts", "logs")
SHORT_ID = 8


@investigating.command("list")
def list_investigations(as_json: AsJson = False) -> None:
    """List investigations, the one that was changed last first."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        every = client.investigations()
    if as_json:
        print(json.dumps(every, indent=1))
        return
    for item in every:
        _say(f"{item['id'][:SHORT_ID]}  {_question(item)}  {counted(item['exhibits'], 'exhibit')}{_origin(item)}")
    if not every:
        out.print("No investigations yet. Begin one on the page, or open a bundle with `reditus investigation import`.")


@investigating.command("show")
def show_investigation(wanted: Wanted, as_json: AsJson = False) -> None:
    """Show one: the answer first, then the hypotheses and the exhibits."""
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = find_investigation(client.investigations(), wanted)
        exhibits = client.exhibits(found["id"])
    if as_json:
        print(json.dumps(found | {"exhibits": exhibits}, indent=1))
        return
    fields = found["fields"]
    _say(_question(found) + _origin(found))
    _say(f"  answer: {fields.get('answer') or 'still open'}")
    numbers = {item["id"]: item["number"] for item in exhibits}
    for item in sorted((fields.get("hypotheses") or {}).values(), key=lambda each: float(each["place"])):
        bearing = [
            f"{words} {', '.join(str(numbers[key]) for key in item[part] if key in numbers)}"
            for words, part in (("for it", "supporting"), ("against it", "opposing"))
            if any(key in numbers for key in item[part])
        ]
        _say(f"  {item['state']}: {item['text']}" + (f" ({'; '.join(bearing)})" if bearing else ""))
    for item in exhibits:
        _say(f"  {item['number']}. {item['caption'] or item['title']}")
        _say(f"     {item['where']}")


@investigating.command("export")
def export_investigation(
    wanted: Wanted,
    file: Annotated[Path, typer.Argument(help="To write: .html, .pdf, .md (a zip with pictures), or .zip, a bundle.")],
    replace: Annotated[
        str, typer.Option(help=f"In a bundle, names to replace: any of {', '.join(CATEGORIES)}, or all.")
    ] = "",
    parquet: Annotated[bool, typer.Option("--parquet", help="In a bundle, counters as Parquet too.")] = False,
    paper: Annotated[str, typer.Option(help="Of a PDF: A4 or letter.")] = "A4",
) -> None:
    """Hand one out: as a report, or as a bundle that another Reditus opens."""
    suffix = file.suffix.lower()
    if suffix not in REPORTS and suffix != ".zip":
        raise Failure(f"{file}: the name has to end in {', '.join(REPORTS)} or .zip, which says what is written")
    categories = _categories(replace)
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = find_investigation(client.investigations(), wanted)
        path = f"/api/investigations/{found['id']}"
        if suffix == ".zip":
            data = client.fetch("POST", f"{path}/bundle", json={"replace": categories, "parquet": parquet})
        else:
            query = {"paper": paper} if suffix == ".pdf" else {}
            data = client.fetch("GET", f"{path}/{REPORTS[suffix]}", params=query)
    target = file.with_suffix(".md.zip") if suffix == ".md" else file
    part = target.with_name(f".{target.name}.part")
    part.write_bytes(data)
    part.replace(target)
    _say(f"{target}: {len(data):,} bytes")


@investigating.command("import")
def import_investigation(file: Annotated[Path, typer.Argument(help="A bundle that was sent to you.")]) -> None:
    """Open a bundle beside one's own. What is damaged or made up is refused, and leaves nothing behind."""
    try:
        data = file.read_bytes()
    except OSError as why:
        raise Failure(f"{file} cannot be read: {why.strerror or why}") from why
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        made = client.open_bundle(data)
        _say(f"{_question(made)}: {counted(made['exhibits'], 'exhibit')}, at {running.url}/investigations/{made['id']}")


def find_investigation(every: list[dict[str, Any]], wanted: str) -> dict[str, Any]:
    """The one whose id begins so, or whose question holds it. Raise Failure for none, and for several."""
    wanted = wanted.strip()
    exact = [item for item in every if _is_id(wanted) and item["id"] == str(UUID(wanted))]
    found = exact or [
        item
        for item in every
        if item["id"].startswith(wanted.lower()) or wanted.lower() in (item["fields"].get("question") or "").lower()
    ]
    if len(found) == 1:
        return found[0]
    listed = "; ".join(f"{item['id'][:SHORT_ID]} {_question(item)}" for item in (found or every)[:5])
    what = "several investigations are meant" if found else "no investigation is meant"
    raise Failure(f"by {wanted!r} {what}; there are: {listed or 'none'}")


def _is_id(text: str) -> bool:
    try:
        UUID(text)
    except ValueError:
        return False
    return True


def _categories(text: str) -> list[str]:
    wanted = [part.strip() for part in text.split(",") if part.strip()]
    if wanted == ["all"]:
        return list(CATEGORIES)
    for part in wanted:
        if part not in CATEGORIES:
            raise Failure(f"{part!r} is none of the names that are replaced: {', '.join(CATEGORIES)}, or all")
    return wanted


def _question(item: dict[str, Any]) -> str:
    return str(item["fields"].get("question") or "an investigation without a question")


def _origin(item: dict[str, Any]) -> str:
    origin = item["origin"]
    return "" if origin is None else f", from a bundle of {origin['made'][:10]}"


def _say(line: str) -> None:
    out.print(line, markup=False, highlight=False, soft_wrap=True)
