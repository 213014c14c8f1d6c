"""What people make of findings, on the command line."""

from typing import Annotated, Any

import typer

from reditus.cli.client import Client
from reditus.cli.console import Failure, out
from reditus.cli.service import service, settings_of_environment


def verdict(
    archive: Annotated[str, typer.Argument(help="Id, beginning of an id, or name of an archive or host.")],
    finding: Annotated[str, typer.Argument(help="The finding's id as `diagnose --json` tells it, or its beginning.")],
    confirm: Annotated[bool, typer.Option("--confirm", help="It is right.")] = False,
    dismiss: Annotated[
        str | None, typer.Option("--dismiss", metavar="REASON", help="It is wrong, or no matter.")
    ] = None,
    remark: Annotated[str | None, typer.Option("--remark", metavar="TEXT", help="A comment.")] = None,
    clear: Annotated[bool, typer.Option("--clear", help="Take back what was said.")] = False,
) -> None:
    """Confirm a finding, dismiss it with a reason, or remark upon it."""
    if sum((confirm, dismiss is not None, clear)) > 1 or not (confirm or dismiss is not None or remark or clear):
        raise Failure("say one of --confirm, --dismiss REASON, --clear, or a --remark")
    state = "confirmed" if confirm else "dismissed" if dismiss is not None else "open"
    with service(settings_of_environment(), anywhere=True) as running, Client(running.url, running.token) as client:
        found = client.find_archive(archive)
        one = _find(client.diagnosis(found["id"], {})["findings"], finding)
        body = {key: one[key] for key in ("kind", "device", "start", "end")}
        client.put_verdict(found["id"], {**body, "state": state, "remark": dismiss or remark or ""})
    words = {"confirmed": "confirmed", "dismissed": "dismissed", "open": "remarked upon" if remark else "open again"}
    out.print(f"{one['title']}, {one['start']}: {words[state]}.", markup=False)


def _find(findings: list[dict[str, Any]], wanted: str) -> dict[str, Any]:
    alike = [finding for finding in findings if finding["id"] == wanted] or [
        finding for finding in findings if finding["id"].startswith(wanted)
    ]
    if len(alike) == 1:
        return alike[0]
    known = "\n".join(f"  {item['id']}  {item['title']}" for item in alike or findings) or "  none"
    if alike:
        raise Failure(f"{wanted!r} begins {len(alike)} findings; say more of the id:\n{known}")
    raise Failure(f"no finding has the id {wanted!r}. There are:\n{known}")
