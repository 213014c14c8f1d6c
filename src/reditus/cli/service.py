"""The database and the server as one service: the one that runs already, or one for as long as it is needed."""

import fcntl
import json
import os
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import httpx
from pydantic import ValidationError

from reditus.cli.child_processes import Child, rotate
from reditus.cli.console import Failure, err, step
from reditus.cli.data_folder import prepare_data_folder, write_private
from reditus.recorder.stopping import StopSwitch, handling, raise_interrupt
from reditus.server.settings import Settings
from reditus.store.database.cluster import Cluster, ClusterError

START_TIMEOUT_S = 60.0
HANDED_ON = ("seal_every_s", "undo_for_s", "scrub_every_s", "memory_mib", "syslog_port", "token")
ARENAS = "2"
"""Of the C library, each of which keeps what its threads have freed: one for every thread would be most of the memory.
"""


def settings_of_environment() -> Settings:
    """Raise Failure, naming the variable, for one that is not valid."""
    try:
        return Settings()
    except ValidationError as why:
        wrong = "; ".join(f"REDITUS_{str(error['loc'][0]).upper()}: {error['msg']}" for error in why.errors())
        raise Failure(f"a setting is not valid: {wrong}") from why


@dataclass
class Service:
    """A running service. `children` are watched, and started again when they end."""

    url: str
    data: Path
    owned: bool
    """Whether this process started it, and stops it."""
    token: str | None = None
    """What requests have to carry, where the settings ask for one."""
    cluster: Cluster | None = None
    children: dict[str, Child] = field(default_factory=dict)

    @property
    def spool(self) -> Path:
        """Folder of the recorder's spools."""
        return self.data / "spool"

    @property
    def logs(self) -> Path:
        """Folder of the logs."""
        return self.data / "logs"

    def restart_dead_children(self) -> None:
        """Start again whatever has ended by itself, and say so; keep logs from growing without limit."""
        for log in self.logs.glob("*.log"):
            rotate(log)
        if self.cluster is not None:
            rotate(self.cluster.log)
        if self.cluster is not None and not self.cluster.is_running():
            err.print("· The database ended by itself; starting it again.")
            try:
                self.cluster.start()
            except ClusterError as why:
                # Killed hard, its last processes hold its memory for a moment; the next look tries again.
                err.print(f"· Not yet: {why}", markup=False)
        for name, child in self.children.items():
            if child.ended is not None:
                err.print(f"· The {name} ended with {child.ended}; starting it again. See {child.log}.")
                child.restart()


@contextmanager
def service(settings: Settings, *, anywhere: bool = False) -> Iterator[Service]:
    """Yield the service that is running on this data folder, or start one and stop it in the end.

    `anywhere`: any free port will do, for a service that only this command uses.
    """
    data = prepare_data_folder(settings)
    lock = os.open(data / "service.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            with handling(raise_interrupt):
                yield Service(_running_url(data), data, owned=False, token=settings.token)
            return
        # A signal while parts start or stop is taken note of, and obeyed between two steps: broken off in the middle of
        # one,
        # a database that is just beginning to run would be left behind.
        switch = StopSwitch()
        with (
            handling(switch.take),
            _started(settings, data, switch, anywhere=anywhere) as running,
            handling(raise_interrupt),
        ):
            yield running
    finally:
        os.close(lock)


def _obey(switch: StopSwitch) -> None:
    """Raise what the signal asks for that came during a step of the start."""
    if switch.signal is not None:
        raise_interrupt(switch.signal, None)


@contextmanager
def _started(settings: Settings, data: Path, switch: StopSwitch, *, anywhere: bool) -> Iterator[Service]:
    cluster = None if settings.database_url else Cluster(data / "database")
    server: Child | None = None
    running: Service | None = None
    try:
        database_url = settings.database_url or _start_cluster(cluster, switch)
        _obey(switch)
        port = 0 if anywhere else _port(settings)
        url_file = data / "server.url"
        url_file.unlink(missing_ok=True)
        with step("Starting the server"):
            own = {key: str(getattr(settings, key)) for key in HANDED_ON if getattr(settings, key) is not None}
            env = {f"REDITUS_{key.upper()}": value for key, value in own.items()} | {
                "MALLOC_ARENA_MAX": ARENAS,
                "REDITUS_DATABASE_URL": database_url, "REDITUS_DATA": str(data), "REDITUS_PORT": str(port),
            }  # fmt: skip
            arguments = ["--url-file", str(url_file)]
            server = Child("reditus.server", arguments, env=env, log=data / "logs" / "server.log")
            url = _wait_for(server, url_file, switch)
        write_private(data / "service.json", json.dumps({"url": url, "pid": os.getpid()}))
        # A restarted server must be found where it was.
        server.set_env("REDITUS_PORT", url.rsplit(":", 1)[1])
        running = Service(url, data, owned=True, token=settings.token, cluster=cluster, children={"server": server})
        _obey(switch)
        yield running
    finally:
        (data / "service.json").unlink(missing_ok=True)
        children = list(running.children.values()) if running else [server] if server else []
        for child in reversed(children):
            child.stop()
        if cluster is not None:
            cluster.stop()


def _start_cluster(cluster: Cluster | None, switch: StopSwitch) -> str:
    assert cluster is not None
    try:
        cluster.check_owner()
        if not cluster.is_made():
            with step("Making a private PostgreSQL cluster"):
                cluster.make()
        _obey(switch)
        if not cluster.is_running():
            with step("Starting PostgreSQL"):
                cluster.start()
        return cluster.url
    except ClusterError as why:
        raise Failure(str(why)) from why


def _port(settings: Settings) -> int:
    """The port of the settings, or a free one where that is taken and was not set explicitly."""
    if "port" in settings.model_fields_set or settings.port == 0:
        return settings.port
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((settings.host, settings.port))
        except OSError:
            err.print(f"· Port {settings.port} is taken by another program; using a free one.")
            return 0
    return settings.port


def _wait_for(server: Child, url_file: Path, switch: StopSwitch) -> str:
    deadline_s = time.monotonic() + START_TIMEOUT_S
    while time.monotonic() < deadline_s:
        if server.ended is not None:
            raise Failure(f"the server ended while starting. The end of {server.log}:\n{server.log_tail()}")
        _obey(switch)
        if url_file.exists() and (url := url_file.read_text()):
            return url
        switch.wait(0.05)
    raise Failure(f"the server did not answer within {START_TIMEOUT_S:.0f} s; see {server.log}")


def _running_url(data: Path) -> str:
    """The address of the service another process runs; it may still be starting."""
    deadline_s = time.monotonic() + START_TIMEOUT_S
    while time.monotonic() < deadline_s:
        try:
            url = str(json.loads((data / "service.json").read_text())["url"])
            httpx.get(f"{url}/api/health", timeout=5.0, trust_env=False)
        except (OSError, ValueError, KeyError, httpx.HTTPError):
            time.sleep(0.2)
        else:
            return url
    raise Failure(f"another Reditus holds {data}, but its server does not answer; look at {data / 'logs'}")
