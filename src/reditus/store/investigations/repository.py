"""Investigations with their verbs. Each call is a transaction of its own: what it raises undoes it."""

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from reditus.core.window import Window
from reditus.store.investigations import documents, stretches
from reditus.store.investigations.records import Exhibit, Investigation
from reditus.store.investigations.stretches import ArchiveStretch, Stretch
from reditus.store.repositories import Repository


class Investigations(Repository):
    """Investigations, and the exhibits that are pinned in them."""

    def all(self) -> list[Investigation]:
        """Those that are not deleted, the one that was changed last first."""
        return self._transact(documents.investigations)

    def get(self, wanted: UUID) -> Investigation:
        """Raise UnknownInvestigation."""
        return self._transact(lambda session: documents.investigation(session, wanted))

    def open(self, made: UUID, fields: Mapping[str, Any]) -> Investigation:
        """A new one; of an id that is there already, that one. Raise TooManyInvestigations."""
        return self._transact(lambda session: documents.open_investigation(session, made, fields))

    def change(self, wanted: UUID, version: int, changes: Mapping[str, Any]) -> Investigation:
        """Set fields. Raise UnknownInvestigation, ReadOnlyInvestigation, ChangedMeanwhile."""
        return self._transact(lambda session: documents.change_investigation(session, wanted, version, changes))

    def keep_archives(self, wanted: UUID, *, keeps: bool) -> Investigation:
        """Whether what the exhibits stand on stays in the archives. Raise UnknownInvestigation."""
        return self._transact(lambda session: documents.keep_archives(session, wanted, keeps=keeps))

    def delete(self, wanted: UUID) -> None:
        """`restore` brings it back. Raise UnknownInvestigation."""
        self._transact(lambda session: documents.delete_investigation(session, wanted))

    def restore(self, wanted: UUID) -> Investigation:
        """Raise UnknownInvestigation where it is too late."""
        return self._transact(lambda session: documents.restore_investigation(session, wanted))

    def exhibits(self, wanted: UUID) -> list[Exhibit]:
        """In the order in which they were pinned. Raise UnknownInvestigation."""
        return self._transact(lambda session: documents.exhibits(session, wanted))

    def exhibit(self, wanted: UUID) -> Exhibit:
        """Raise UnknownExhibit."""
        return self._transact(lambda session: documents.exhibit(session, wanted))

    def pin(self, exhibit: Exhibit) -> None:
        """Raise UnknownInvestigation, ReadOnlyInvestigation, TooManyInvestigations."""
        self._transact(lambda session: documents.add_exhibit(session, exhibit))

    def remove_exhibit(self, wanted: UUID, *, back: bool = False) -> None:
        """Take an exhibit away, or bring it back. Raise UnknownExhibit, ReadOnlyInvestigation."""
        self._transact(lambda session: documents.remove_exhibit(session, wanted, back=back))

    def stretch(self, timeline: UUID, window: Window) -> Stretch:
        """What an archive, or a host's, holds of a window, as it goes into a bundle. Raise UnknownArchive."""
        return self._transact(lambda session: stretches.read_stretch(session, timeline, window))

    def put_bundle(
        self,
        investigation: UUID,
        fields: Mapping[str, Any],
        origin: Mapping[str, Any],
        parts: tuple[Sequence[ArchiveStretch], Sequence[Exhibit]],
    ) -> Investigation:
        """Put what came in a bundle in place, all or nothing. Raise BlockConflict where a block does not fit."""
        return self._transact(lambda session: stretches.write_bundle(session, investigation, fields, origin, parts))

    def pseudonym_key(self) -> bytes:
        """The key by which this server, and no other, makes the same substitutes of the same names."""
        return self._transact(stretches.pseudonym_key)
