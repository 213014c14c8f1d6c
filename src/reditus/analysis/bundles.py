"""What goes into a bundle of an investigation, and what becomes of a bundle that is opened."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from uuid import UUID

from reditus.analysis.investigations import renamed
from reditus.analysis.report.dossier import DamagedExhibit, Dossier, Numbered
from reditus.analysis.report.drawing import pictures
from reditus.analysis.report.files import with_files
from reditus.analysis.report.page import report_html, report_markdown
from reditus.core.rfc3339 import parse_time
from reditus.core.types import NS_PER_S
from reditus.core.window import Window
from reditus.exchange.bundle.anonymous import anonymous_content, anonymous_fields, anonymous_stretch, collect
from reditus.exchange.bundle.contents import checksum, frozen
from reditus.exchange.bundle.fields import Hypothesis
from reditus.exchange.bundle.pseudonyms import Category, Pseudonyms
from reditus.exchange.bundle.reading import Opened, own_id
from reditus.exchange.bundle.writing import BundleExhibit, Inside
from reditus.store.errors import UnknownArchive
from reditus.store.investigations.records import Exhibit, Investigation
from reditus.store.investigations.stretches import ArchiveStretch
from reditus.store.store import Store

MARGIN_INTERVALS = 3
"""Ticks beyond a stretch: a rate needs the tick before, and lines run to the edges of their window."""
USUAL_INTERVAL_S = 60.0
Progress = Callable[[int, int, str], None]


@dataclass(frozen=True, slots=True)
class Choices:
    """What the sender chose of a bundle."""

    categories: frozenset[Category] = frozenset()
    """Names of these are replaced."""
    stretches: Mapping[UUID, Window | None] = field(default_factory=dict)
    """By archive or host: another stretch than the exhibits'; None leaves it out."""
    parquet: bool = False


def usual_stretches(dossier: Dossier) -> dict[UUID, Window]:
    """By archive or host: the stretch that its exhibits, and the complaint, lie in, with some ticks around."""
    out: dict[UUID, Window] = {}
    complaint = dossier.fields.window
    for item in dossier.exhibits:
        content, key = item.content, item.content.source.archive
        if content.kind == "facts":
            continue
        margin_ns = round(MARGIN_INTERVALS * (content.source.interval_s or USUAL_INTERVAL_S) * NS_PER_S)
        spans = [Window(max(content.start_ns - margin_ns, 0), content.end_ns + margin_ns)]
        if complaint is not None and key in (dossier.fields.hosts or []):
            spans.append(Window(parse_time(complaint.start), parse_time(complaint.end)))
        spans += [out[key]] if key in out else []
        out[key] = Window(min(span.start_ns for span in spans), max(span.end_ns for span in spans))
    return out


def inside_of(
    store: Store, dossier: Dossier, choices: Choices, fonts: Path | None, made: str, progress: Progress
) -> Inside:
    """Everything that the bundle is made of, with names replaced where that was chosen. Raise DamagedExhibit."""
    for item in dossier.exhibits:
        if item.damage is not None:
            raise DamagedExhibit(item.damage)
    windows = {**usual_stretches(dossier), **choices.stretches}
    stretches: list[tuple[ArchiveStretch, Window]] = []
    for place, (timeline, window) in enumerate(windows.items()):
        progress(place, len(windows), "reading archives")
        if window is None:
            continue
        try:
            found = store.investigations.stretch(timeline, window)
        except UnknownArchive:
            continue  # exhibits outlive what they were made of
        taken = {stretch.archive for stretch, _ in stretches}
        stretches += [(stretch, window) for stretch in found.archives if stretch.archive not in taken]
    names = None
    if choices.categories:
        names = Pseudonyms(store.investigations.pseudonym_key(), choices.categories)
        known = [stretch for stretch, _ in stretches] + _left_out(store, dossier, choices)
        collect(names, known, [item.content for item in dossier.exhibits])
        progress(len(windows), len(windows), "replacing names")
        dossier = _anonymous(dossier, names)
        stretches = [(anonymous_stretch(names, stretch), window) for stretch, window in stretches]
    progress(len(windows), len(windows), "writing the report")
    return Inside(
        investigation=dossier.id,
        created_ns=dossier.created_ns,
        fields=dossier.fields,
        exhibits=[BundleExhibit(item.id, item.content, item.pinned_ns, item.pictures) for item in dossier.exhibits],
        stretches=stretches,
        markdown=with_files(report_markdown(dossier), dossier),
        html=report_html(dossier, fonts),
        made=made,
        names=names,
        parquet=choices.parquet,
    )


def _left_out(store: Store, dossier: Dossier, choices: Choices) -> list[ArchiveStretch]:
    """What the exhibits stand on and stays at home, or is trimmed: the exhibits hold its names all the same."""
    out: list[ArchiveStretch] = []
    for timeline, window in usual_stretches(dossier).items():
        if timeline in choices.stretches:
            with suppress(UnknownArchive):
                out += store.investigations.stretch(timeline, window).archives
    return out


def _anonymous(dossier: Dossier, names: Pseudonyms) -> Dossier:
    fields = anonymous_fields(names, dossier.fields)
    hypotheses: list[tuple[UUID, Hypothesis]] = [
        (key, replaced) for key, _ in dossier.hypotheses if (replaced := (fields.hypotheses or {}).get(key)) is not None
    ]
    return replace(
        dossier, fields=fields, hypotheses=hypotheses, exhibits=[_exhibit(item, names) for item in dossier.exhibits]
    )


def _exhibit(item: Numbered, names: Pseudonyms) -> Numbered:
    content = anonymous_content(names, item.content)
    return replace(
        item,
        content=content,
        caption=names.within(item.caption),
        pictures=tuple(pictures(content)),
        checksum=checksum(frozen(content)),
    )


def put_opened(store: Store, opened: Opened) -> Investigation:
    """Put what came in a bundle beside one's own, all or nothing. Raise BlockConflict where a block does not fit."""
    manifest = opened.manifest
    investigation = own_id("investigation", manifest.investigation.id)
    homes = {entry.archive: own_id("archive", entry.archive) for entry in manifest.archives}
    homes |= {entry.host: own_id("host", entry.host) for entry in manifest.archives}
    exhibits = {item.id: own_id("exhibit", item.id) for item in opened.exhibits}
    ids = {str(old): str(new) for old, new in (homes | exhibits).items()}
    kept = [
        Exhibit(
            id=exhibits[item.id],
            investigation=investigation,
            archive=homes.get(item.content.source.archive, item.content.source.archive),
            start_ns=item.content.start_ns,
            end_ns=item.content.end_ns,
            content=item.data,
            pictures=tuple(pictures(item.content)),
            checksum=checksum(item.data),
            pinned_ns=item.pinned_ns,
        )
        for item in opened.exhibits
    ]
    origin = {
        "made": manifest.made,
        "reditus": manifest.reditus,
        "anonymised": manifest.anonymised,
        "checksum": opened.checksum,
        "ids": {str(old): str(new) for old, new in homes.items()},
    }
    fields = renamed(manifest.investigation.fields.flat(), ids)
    return store.investigations.put_bundle(investigation, fields, origin, (_together(opened.stretches), kept))


def _together(stretches: Sequence[ArchiveStretch]) -> Sequence[ArchiveStretch]:
    """Each archive once."""
    return list({stretch.archive: stretch for stretch in stretches}.values())
