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

from reditus.cli.children import Child
from reditus.cli.folders import prepare_data_folder
from reditus.cli.screen import Failure, err, step
from reditus.server.settings import Settings
from reditus.store.cluster import Cluster, ClusterError

START_TIMEOUT_S = 60.0


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
    cluster: Cluster | None = None
    children: dict[str, Child] = field(default_factory=dict)

    @property
    def spool(self) -> Path:
        return self.data / "spool"

    @property
    def logs(self) -> Path:
        return self.data / "logs"

    def look_after(self) -> None:
        """Start again whatever has ended by itself, and say so."""
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
    (data / "logs").mkdir(exist_ok=True)
    lock = os.open(data / "service.lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield Service(_running_url(data), data, owned=False)
            return
        with _started(settings, data, anywhere=anywhere) as running:
            yield running
    finally:
        os.close(lock)


@contextmanager
def _started(settings: Settings, data: Path, *, anywhere: bool) -> Iterator[Service]:
    cluster = None if settings.database_url else Cluster(data / "database")
    server: Child | None = None
    running: Service | None = None
    try:
        database_url = settings.database_url or _start_cluster(cluster)
        port = 0 if anywhere else _port(settings)
        url_file = data / "server.url"
        url_file.unlink(missing_ok=True)
        with step("Starting the server"):
            own = {key: str(getattr(settings, key)) for key in ("seal_every_s", "undo_for_s")}
            env = {f"REDITUS_{key.upper()}": value for key, value in own.items()} | {
                "REDITUS_DATABASE_URL": database_url, "REDITUS_DATA": str(data), "REDITUS_PORT": str(port),
            }  # fmt: skip
            arguments = ["--url-file", str(url_file)]
            server = Child("reditus.server", arguments, env=env, log=data / "logs" / "server.log")
            url = _wait_for(server, url_file)
        (data / "service.json").write_text(json.dumps({"url": url, "pid": os.getpid()}))
        # A restarted server must be found where it was.
        server.set_env("REDITUS_PORT", url.rsplit(":", 1)[1])
        running = Service(url, data, owned=True, cluster=cluster, children={"server": server})
        yield running
    finally:
        (data / "service.json").unlink(missing_ok=True)
        children = list(running.children.values()) if running else [server] if server else []
        for child in reversed(children):
            child.stop()
        if cluster is not None:
            cluster.stop()


def _start_cluster(cluster: Cluster | None) -> str:
    assert cluster is not None
    try:
        if not cluster.is_made():
            with step("Making a private PostgreSQL cluster"):
                cluster.make()
        if not cluster.is_running():
            with step("Starting PostgreSQL"):
                cluster.start()
        return cluster.url
    except ClusterError as why:
        raise Failure(str(why)) from why


def _port(settings: Settings) -> int:
    """The port of the settings, or a free one where that is taken and nobody asked for it by name."""
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


def _wait_for(server: Child, url_file: Path) -> str:
    deadline_s = time.monotonic() + START_TIMEOUT_S
    while time.monotonic() < deadline_s:
        if server.ended is not None:
            raise Failure(f"the server ended while starting. The end of {server.log}:\n{server.last_words()}")
        if url_file.exists() and (url := url_file.read_text()):
            return url
        time.sleep(0.05)
    raise Failure(f"the server did not answer within {START_TIMEOUT_S:.0f} s; see {server.log}")


def _running_url(data: Path) -> str:
    """The address of the service another process runs; it may still be starting."""
    deadline_s = time.monotonic() + START_TIMEOUT_S
    while time.monotonic() < deadline_s:
        try:
            url = str(json.loads((data / "service.json").read_text())["url"])
            httpx.get(f"{url}/api/health", timeout=5.0, trust_env=False)
        except (FileNotFoundError, ValueError, KeyError, httpx.HTTPError):
            time.sleep(0.2)
        else:
            return url
    raise Failure(f"another Reditus holds {data}, but its server does not answer; look at {data / 'logs'}")
