"""Talk to the server: problems become sentences."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from types import TracebackType
from typing import Any, Protocol, Self
from urllib.parse import quote
from uuid import UUID

import httpx

from reditus.cli.console import Failure
from reditus.core.blocks import Block
from reditus.core.identities import Identities
from reditus.core.markers import Marker
from reditus.core.rfc3339 import spell_time
from reditus.core.schema import Schema
from reditus.core.types import Json

TIMEOUT_S = 120.0
LONG_TIMEOUT = httpx.Timeout(TIMEOUT_S, read=3_600.0)
"""Files are made whole before their first byte comes."""
BATCH_BYTES = 8 << 20
BLOCKS_TYPE = "application/vnd.reditus.blocks"
BUNDLE_TYPE = "application/vnd.reditus.bundle+zip"


class NotThere(Failure):
    """What was requested is not there, or not any more."""


class Loadable(Protocol):
    """A whole recording, from wherever it came: in memory, or computed while it is sent."""

    @property
    def archive(self) -> UUID:
        """The archive's id."""

    @property
    def ticks(self) -> int:
        """How many ticks it has."""

    @property
    def registration(self) -> Json:
        """What registers it, as the API has it."""

    def schemas(self) -> list[Schema]:
        """Its schemas."""

    def batches(self) -> Iterable[tuple[list[Block], Identities | None]]:
        """Its blocks, batch by batch, with the identities that belong to them."""

    def markers(self) -> list[Marker]:
        """Its markers."""


class Client:
    """The server's API, as far as the command line uses it."""

    def __init__(self, url: str, token: str | None = None) -> None:
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        # The environment's proxies are not for loopback.
        self._http = httpx.Client(base_url=url, timeout=TIMEOUT_S, trust_env=False, headers=headers)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._http.close()

    def archives(self) -> list[dict[str, Any]]:
        """All archives."""
        return list(self._request("GET", "/api/archives"))

    def find_archive(self, wanted: str) -> dict[str, Any]:
        """By id, by the beginning of an id, or by name: the one with the newest data if several are called so."""
        every = self.archives()
        for alike in (
            [archive for archive in every if archive["id"] == wanted],
            [archive for archive in every if archive["name"] == wanted],
            [archive for archive in every if len(wanted) >= 4 and archive["id"].startswith(wanted.lower())],
        ):
            if alike:
                return alike[0]
        for archive in every:
            if archive["host"]["name"] == wanted:
                return dict(self._request("GET", f"/api/archives/{archive['host']['id']}"))
        known = "\n".join(f"  {archive['id'][:8]}  {archive['name']}" for archive in every) or "  none yet"
        raise Failure(f"no archive is called {wanted!r}. There are:\n{known}")

    def damage(self, archive_id: str | None) -> list[dict[str, Any]]:
        """Known damage of an archive, or of all."""
        return list(self._request("GET", f"/api/archives/{archive_id}/damage" if archive_id else "/api/damage"))

    def check_part(self, archive_id: str, place: dict[str, Any]) -> dict[str, Any]:
        """Verify the next blocks of an archive."""
        return dict(self._request("POST", f"/api/archives/{archive_id}/check", json=place))

    def check_rollups(self, archive_id: str) -> list[dict[str, Any]]:
        """Verify an archive's rollups."""
        return list(self._request("POST", f"/api/archives/{archive_id}/check-rollups"))

    def check_tables(self) -> list[dict[str, Any]]:
        """Verify all tables but blocks and rollups."""
        return list(self._request("POST", "/api/check-tables"))

    def gaps(self, archive_id: str) -> dict[str, Any]:
        """An archive's gaps."""
        return dict(self._request("GET", f"/api/archives/{archive_id}/gaps"))

    def describe(self, archive_id: str, body: dict[str, Any]) -> dict[str, Any]:
        """Set an archive's name, notes or protection."""
        return dict(self._request("PATCH", f"/api/archives/{archive_id}", json=body))

    def trim(self, archive_id: str, start: str, end: str) -> dict[str, Any]:
        """Remove all ticks outside a stretch."""
        return dict(self._request("POST", f"/api/archives/{archive_id}/trim", json={"from": start, "to": end}))

    def copy_stretch(self, archive_id: str, start: str, end: str, name: str) -> dict[str, Any]:
        """Copy a stretch to a new archive."""
        body = {"from": start, "to": end, "name": name}
        return dict(self._request("POST", f"/api/archives/{archive_id}/copies", json=body))

    def delete_archive(self, archive_id: str) -> None:
        """Delete an archive; that can be taken back for a while."""
        self._request("DELETE", f"/api/archives/{archive_id}")

    def restore_archive(self, archive_id: str) -> None:
        """Take a deletion back."""
        self._request("POST", f"/api/archives/{archive_id}/restore")

    def diagnosis(self, archive_id: str, window: Mapping[str, str]) -> dict[str, Any]:
        """Findings and what was ruled out in a window."""
        return dict(self._request("GET", f"/api/archives/{archive_id}/diagnosis", params=dict(window)))

    def comparison(self, archive_id: str, query: Mapping[str, str]) -> dict[str, Any]:
        """What is different between a window and a reference."""
        return dict(self._request("GET", f"/api/archives/{archive_id}/comparison", params=dict(query)))

    def weeks(self, archive_id: str, query: Mapping[str, str]) -> dict[str, Any]:
        """All archives of a host over weeks."""
        return dict(self._request("GET", f"/api/archives/{archive_id}/weeks", params=dict(query)))

    def put_verdict(self, archive_id: str, body: dict[str, Any]) -> None:
        """Confirm, dismiss or remark upon a finding."""
        self._request("PUT", f"/api/archives/{archive_id}/verdicts", json=body)

    def series(self, archive_id: str, names: list[str], window: Mapping[str, str], width: int) -> dict[str, Any]:
        """Measures over a window."""
        params = {"measure": names, "width": str(width), **window}
        return dict(self._request("GET", f"/api/archives/{archive_id}/series", params=params))

    def markers(self, archive_id: str, query: Mapping[str, str]) -> dict[str, Any]:
        """Markers of a window."""
        return dict(self._request("GET", f"/api/archives/{archive_id}/markers", params=dict(query)))

    def add_markers(self, archive_id: str, markers: list[dict[str, Any]]) -> None:
        """Add markers."""
        self._request("POST", f"/api/archives/{archive_id}/markers", json=markers)

    def names(self, archive_id: str) -> dict[str, dict[str, str]]:
        """What people call the devices, by kind and device."""
        return dict(self._request("GET", f"/api/archives/{archive_id}/names"))

    def name_device(self, archive_id: str, kind: str, device: str, name: str | None) -> None:
        """Name a device; None removes the name."""
        self._request("PUT", f"/api/archives/{archive_id}/names", json={"kind": kind, "device": device, "name": name})

    def plans(self) -> list[dict[str, Any]]:
        """All plans."""
        return list(self._request("GET", "/api/plans"))

    def put_plan(self, plan: dict[str, Any]) -> dict[str, Any]:
        """Insert or replace a plan."""
        return dict(self._request("PUT", f"/api/plans/{quote(str(plan['name']), safe='')}", json=plan))

    def remove_plan(self, name: str) -> None:
        """Remove a plan."""
        self._request("DELETE", f"/api/plans/{quote(name, safe='')}")

    def recorders(self) -> list[dict[str, Any]]:
        """All recorders."""
        return list(self._request("GET", "/api/recorders"))

    def find_recorder(self, wanted: str) -> dict[str, Any]:
        """By name, `HOST: NAME`, id, or the beginning of an id."""
        every = self.recorders()
        for entry in every:
            if wanted in (entry["id"], entry["name"], f"{entry['host']['name']}: {entry['name']}") or (
                len(wanted) >= 4 and entry["id"].startswith(wanted.lower())
            ):
                return entry
        known = (
            "\n".join(f"  {entry['id'][:8]}  {entry['host']['name']}: {entry['name']}" for entry in every)
            or "  none yet"
        )
        raise Failure(f"no recorder is called {wanted!r}. There are:\n{known}")

    def direct(self, recorder: str, orders: dict[str, Any]) -> dict[str, Any]:
        """Change a recorder's orders."""
        return dict(self._request("PATCH", f"/api/recorders/{recorder}", json=orders))

    def investigations(self) -> list[dict[str, Any]]:
        """All investigations, the one that was changed last first."""
        found: list[dict[str, Any]] = self._request("GET", "/api/investigations")
        return found

    def put_investigation(self, investigation: str, fields: Mapping[str, Any]) -> dict[str, Any]:
        """Begin an investigation; one of that id is returned as it is."""
        made: dict[str, Any] = self._request("PUT", f"/api/investigations/{investigation}", json=dict(fields))
        return made

    def exhibits(self, investigation: str) -> list[dict[str, Any]]:
        """The exhibits of an investigation, in their order."""
        found: list[dict[str, Any]] = self._request("GET", f"/api/investigations/{investigation}/exhibits")
        return found

    def pin(self, investigation: str, exhibit: str, pin: Mapping[str, Any]) -> dict[str, Any]:
        """Pin an exhibit under an id of one's own."""
        made: dict[str, Any] = self._request(
            "PUT", f"/api/investigations/{investigation}/exhibits/{exhibit}", json=dict(pin)
        )
        return made

    def load_investigation(
        self, investigation: str, fields: Mapping[str, Any], pins: Iterable[tuple[str, Mapping[str, Any]]]
    ) -> None:
        """A whole investigation with its exhibits, once: what people made of it since stays, as does its deletion."""
        try:
            made = self.put_investigation(investigation, fields)
        except NotThere:
            return  # it was deleted
        if made["version"] == 1 and not made["exhibits"]:
            for exhibit, pin in pins:
                self.pin(investigation, exhibit, pin)

    def open_bundle(self, data: bytes) -> dict[str, Any]:
        """Open a bundle that was sent to you."""
        made: dict[str, Any] = self._request(
            "POST", "/api/bundles", content=data, headers={"Content-Type": BUNDLE_TYPE}
        )
        return made

    def fetch(self, method: str, path: str, **more: Any) -> bytes:
        """A file as the server makes it."""
        return self._answer(method, path, **more).content

    def begin_import(self, wanted: str, name: str, size_bytes: int) -> None:
        """Announce a file."""
        self._request("PUT", f"/api/imports/{wanted}", json={"name": name, "size_bytes": size_bytes})

    def send_part(self, wanted: str, offset: int, part: bytes) -> None:
        """Send a part of a file."""
        path = f"/api/imports/{wanted}/content"
        head = {"Content-Type": "application/octet-stream"}
        self._request("PUT", path, params={"offset": str(offset)}, content=part, headers=head)

    def look_at_import(self, wanted: str, mapping: Any, layout: Any = None) -> dict[str, Any]:
        """What a file is taken for."""
        return dict(self._request("POST", f"/api/imports/{wanted}/look", json={"mapping": mapping, "layout": layout}))

    def start_import(self, wanted: str, options: Mapping[str, Any]) -> None:
        """Let a file be read."""
        self._request("POST", f"/api/imports/{wanted}/start", json=dict(options))

    def import_state(self, wanted: str) -> dict[str, Any]:
        """Where a file is."""
        return dict(self._request("GET", f"/api/imports/{wanted}"))

    def remove_import(self, wanted: str) -> None:
        """Forget a file that was received or has ended."""
        self._request("DELETE", f"/api/imports/{wanted}")

    def download(self, path: str, query: Mapping[str, Any], target: Path) -> int:
        """Write a file as the server makes it, whole or not at all; return its size in bytes."""
        part = target.with_name(f".{target.name}.part")
        try:
            with self._http.stream("GET", path, params=dict(query), timeout=LONG_TIMEOUT) as response:
                if response.is_error:
                    response.read()
                    raise Failure(_sentence(response))
                with part.open("wb") as file:
                    for chunk in response.iter_bytes():
                        file.write(chunk)
            size = part.stat().st_size
            part.replace(target)
        except httpx.HTTPError as why:
            raise Failure(f"the server at {self._http.base_url} does not answer: {why}") from why
        except OSError as why:
            raise Failure(f"{target} cannot be written: {why.strerror or why}") from why
        finally:
            part.unlink(missing_ok=True)
        return size

    def load(self, recording: Loadable, stopped: Callable[[], bool] = lambda: False) -> bool:
        """Send a whole recording, the way a recorder sends its own; return False if it is there already. Once it is
        `stopped` nothing more is sent: the next time goes on.
        """
        path = f"/api/archives/{recording.archive}"
        if self._has(recording.archive, ticks=recording.ticks):
            return False
        self._request("PUT", path, json=recording.registration)
        for schema in recording.schemas():
            self._request("PUT", f"{path}/schemas/{schema.digest.hex()}", json=schema.as_json())
        for batch in _batches(recording.batches()):
            if stopped():
                return True
            self._request("POST", f"{path}/blocks", content=batch, headers={"Content-Type": BLOCKS_TYPE})
        markers = recording.markers()
        if markers:
            self.add_markers(str(recording.archive), [marker_as_json(marker) for marker in markers])
        return True

    def _has(self, archive: UUID, *, ticks: int) -> bool:
        response = self._http.get(f"/api/archives/{archive}")
        return response.status_code == 200 and response.json()["ticks"] == ticks

    def _request(self, method: str, path: str, **more: Any) -> Any:
        response = self._answer(method, path, **more)
        return response.json() if response.content else None

    def _answer(self, method: str, path: str, **more: Any) -> httpx.Response:
        try:
            response = self._http.request(method, path, **more)
        except httpx.HTTPError as why:
            raise Failure(f"the server at {self._http.base_url} does not answer: {why}") from why
        if response.is_error:
            raise (NotThere if response.status_code == 404 else Failure)(_sentence(response))
        return response


def _sentence(response: httpx.Response) -> str:
    """What a problem says; or, where the answer is none of the server's, that it is not."""
    try:
        return str(response.json()["detail"])
    except (ValueError, KeyError, TypeError):
        return f"the server answered {response.status_code}, and not as Reditus does: {response.text[:200]}"


def marker_as_json(marker: Marker) -> dict[str, Any]:
    """A marker as the API takes it."""
    return {
        "at": spell_time(marker.at_ns),
        "kind": marker.kind,
        "text": marker.text or "(empty)",
        "source": marker.source,
        "severity": marker.severity,
        "ident": marker.ident,
        "log": marker.log,
    }


def _batches(parts: Iterable[tuple[list[Block], Identities | None]]) -> Iterator[bytes]:
    """Blocks and who the processes in them are, joined into requests of a few megabytes."""
    held: list[bytes] = []
    for blocks, identities in parts:
        if identities is not None and identities.processes:
            held.append(identities.to_bytes())
        for block in blocks:
            held.append(block.to_bytes())
            if sum(map(len, held)) > BATCH_BYTES:
                yield b"".join(held)
                held = []
    if held:
        yield b"".join(held)
