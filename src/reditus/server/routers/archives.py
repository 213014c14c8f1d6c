"""Archives: what there is, and making one known."""

from uuid import UUID

from fastapi import APIRouter

from reditus.core.facts import HostFacts
from reditus.server.context import StoreDep
from reditus.server.schemas import ArchiveIn, ArchiveOut, FactsOut
from reditus.store import HostInfo

router = APIRouter(prefix="/archives", tags=["archives"])


@router.get("")
def list_archives(store: StoreDep) -> list[ArchiveOut]:
    """All archives, the one with the newest data first."""
    return [ArchiveOut.of(archive) for archive in store.archives.all()]


@router.get("/{archive_id}")
def read_archive(archive_id: UUID, store: StoreDep) -> ArchiveOut:
    """An archive, or all archives of a host as one."""
    return ArchiveOut.of(store.archives.get(archive_id))


@router.get("/{archive_id}/facts")
def read_facts(archive_id: UUID, store: StoreDep) -> list[FactsOut]:
    """What was known of the host, and since when: a disk or link that came, a core that went, another kernel."""
    return [FactsOut(since=at_ns, facts=facts.as_json()) for at_ns, facts in store.archives.facts_history(archive_id)]


@router.put("/{archive_id}")
def register_archive(archive_id: UUID, archive: ArchiveIn, store: StoreDep) -> ArchiveOut:
    """Make an archive known, or bring its name and facts up to date."""
    store.archives.check_writable(archive_id)
    facts = HostFacts.from_json(archive.facts)
    store.archives.register(
        host=HostInfo(archive.host.id, archive.host.name),
        archive=archive_id,
        name=archive.name,
        source=archive.source,
        facts=facts,
    )
    return ArchiveOut.of(store.archives.get(archive_id))
