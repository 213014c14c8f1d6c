"""A report as Markdown with its pictures and tables as files beside it, in a zip."""

import re
import unicodedata
from io import BytesIO
from urllib.parse import quote
from uuid import UUID
from zipfile import ZIP_DEFLATED, ZipFile

from reditus.analysis.report.clock import Clock
from reditus.analysis.report.dossier import Dossier, Numbered
from reditus.analysis.report.prepared import plain
from reditus.analysis.report.spelled import spell_cell, spell_versions, spell_where, table_cells
from reditus.exchange.bundle.contents import Chart, Sentences, Shapes

LONGEST_NAME = 60
_REFERENCE = re.compile(r"!\[(?P<alt>(?:\\.|[^\]\\])*)\]\(exhibit:(?P<id>[0-9a-f-]{1,36})\)")


def stem_of(question: str) -> str:
    """A question as the name of a file: letters, digits and hyphens.

    >>> stem_of("Why did the catalogue stop answering on Friday?")
    'why-did-the-catalogue-stop-answering-on-friday'
    """
    letters = unicodedata.normalize("NFKD", question).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", letters).strip("-")[:LONGEST_NAME].strip("-") or "investigation"


def file_name(question: str, ending: str) -> str:
    """The header under which a browser saves a file (RFC 6266)."""
    return f'attachment; filename="{quote(stem_of(question))}.{ending}"'


def picture_name(item: Numbered, place: int) -> str:
    """The file of a picture of an exhibit."""
    return f"exhibits/{item.number:03d}-{place}.svg"


def with_files(markdown: str, dossier: Dossier) -> str:
    """Markdown in which references to exhibits became pictures and tables."""
    by_id = {item.id: item for item in dossier.exhibits}
    by_number = {str(item.number): item for item in dossier.exhibits}

    def spelled(match: re.Match[str]) -> str:
        name = match["id"]
        try:
            item = by_number.get(name) or by_id.get(UUID(name))
        except ValueError:
            item = None
        return f"*Exhibit {name} is not part of this investigation.*" if item is None else exhibit_markdown(item)

    return _REFERENCE.sub(spelled, markdown)


def exhibit_markdown(item: Numbered) -> str:
    """An exhibit in Markdown, its pictures by the names of their files."""
    content, clock = item.content, Clock(item.content.zone)
    parts, place = [], 0
    for part in content.parts:
        if isinstance(part, Chart | Shapes):
            parts.append(f"![{plain(part.title)}]({picture_name(item, place)})")
            place += 1
        elif isinstance(part, Sentences):
            parts += [f"**{plain(part.title)}**"] if part.title and part.lines else []
            parts += [plain(line) for line in part.lines]
        else:
            heads, rows = table_cells(part, clock)
            lines = [
                "| " + " | ".join(plain(title) or " " for title, _ in heads) + " |",
                "|" + "|".join("---:" if numeric else "---" for _, numeric in heads) + "|",
                *("| " + " | ".join(plain(cell) or " " for cell in row) + " |" for row in rows),
            ]
            parts.append("\n".join(lines))
    if content.figures:
        parts.append(
            " · ".join(f"{plain(each.label)} {spell_cell(each.value, each.unit, clock)}" for each in content.figures)
        )
    said = f"Exhibit {item.number}: {spell_where(content, clock)}. {spell_versions(content)}. SHA-256 {item.checksum}"
    return "\n\n".join([*parts, f"*{plain(said)}*"])


def report_files(dossier: Dossier, markdown: str) -> bytes:
    """The zip: report.md, and an SVG file for each picture."""
    whole = BytesIO()
    with ZipFile(whole, "w", ZIP_DEFLATED) as files:
        files.writestr("report.md", with_files(markdown, dossier))
        for item in dossier.exhibits:
            for place, picture in enumerate(item.pictures):
                files.writestr(picture_name(item, place), picture)
    return whole.getvalue()
