"""`backup` and `restore`: everything, or one host, into a folder and back, while recording goes on."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated
from uuid import UUID

import typer

from reditus.cli.console import Failure, err, out
from reditus.cli.service import Service, service, settings_of_environment
from reditus.core.durations import counted
from reditus.core.errors import ReditusError
from reditus.core.rfc3339 import TimeError, parse_time, spell_time

if TYPE_CHECKING:
    from reditus.exchange.backup.running import Outcome
    from reditus.store.store import Store

FOREVER_NS = (1 << 63) - 1
DATABASE = "database"


def backup(
    folder: Annotated[Path, typer.Argument(help="A new or empty folder, or that of an earlier backup.")],
    host: Annotated[str | None, typer.Option(help="Only this host, by name or id.")] = None,
    since: Annotated[str | None, typer.Option(help="RFC 3339: only ticks and markers since then.")] = None,
    check: Annotated[bool, typer.Option("--check", help="Write nothing; verify every file of the folder.")] = False,
) -> None:
    """Add what is new to a backup: every archive, and what people decided and wrote. Each file is verified."""
    from reditus.core.window import Window
    from reditus.exchange.backup.folder import BackupFolder
    from reditus.exchange.backup.running import back_up, check_backup

    with _failures():
        if check:
            _sum_up(check_backup(BackupFolder.opened(folder), _say), "checked")
            return
        window = None if since is None else Window(parse_time(since), FOREVER_NS)
        place = BackupFolder.opened(folder, make=True)
        with _stored() as store:
            only = None if host is None else _host(store, host)
            made = spell_time(time.time_ns())
            _sum_up(back_up(store, place, made, host=only, window=window, say=_say), "written")


def restore(
    folder: Annotated[Path, typer.Argument(help="The folder of a backup.")],
    host: Annotated[str | None, typer.Option(help="Only this host, by name or id.")] = None,
) -> None:
    """Put back what a backup holds. What is there already stays; run it again where it was broken off."""
    from reditus.exchange.backup.folder import BackupFolder
    from reditus.exchange.backup.running import restore as put_back

    with _failures():
        place = BackupFolder.opened(folder)
        with _stored() as store:
            _sum_up(put_back(store, place, host=host, say=_say), "put back")


@contextmanager
def _failures() -> Iterator[None]:
    try:
        yield
    except (ReditusError, TimeError, OSError) as why:
        raise Failure(str(why)) from why


@contextmanager
def _stored() -> "Iterator[Store]":
    """The database itself: a backup needs no web server, and is no request that could take too long."""
    from reditus.store.store import Store

    settings = settings_of_environment()
    with service(settings, anywhere=True) as running:
        store = Store(settings.database_url or _private(running))
        try:
            yield store
        finally:
            store.close()


def _private(running: Service) -> str:
    from reditus.store.database.cluster import Cluster

    return Cluster(running.data / DATABASE).url


def _host(store: "Store", wanted: str) -> UUID:
    hosts = {info.host.id: info.host.name for info in store.archives.all()}
    found = [key for key, name in hosts.items() if wanted in (name, str(key))]
    if len(found) != 1:
        known = ", ".join(f"{name} ({key})" for key, name in sorted(hosts.items(), key=lambda pair: pair[1])) or "none"
        raise Failure(f"{len(found) or 'no'} hosts are called {wanted!r}. There are: {known}")
    return found[0]


def _say(text: str) -> None:
    out.print(text, markup=False, highlight=False)


def _sum_up(outcome: "Outcome", done: str) -> None:
    unchanged = f", {counted(outcome.unchanged, 'archive')} unchanged" if outcome.unchanged else ""
    _say(f"{counted(outcome.archives, 'file')} {done}: {outcome.ticks:,} ticks, {outcome.bytes:,} bytes{unchanged}.")
    for trouble in outcome.troubles:
        err.print(f"reditus: {trouble}", markup=False, highlight=False)
    if outcome.troubles:
        raise typer.Exit(1)
