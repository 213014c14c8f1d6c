"""A report as one HTML file without any foreign resource: text, pictures and fonts are inside."""

import base64
import re
from collections.abc import Callable, Mapping, Sequence
from functools import cache, partial
from html import escape
from pathlib import Path
from typing import Any
from uuid import UUID

from jinja2 import Environment, PackageLoader, StrictUndefined
from markdown_it import MarkdownIt
from markdown_it.renderer import RendererProtocol
from markdown_it.token import Token
from markupsafe import Markup

from reditus import __version__
from reditus.analysis.report.clock import Clock
from reditus.analysis.report.dossier import Dossier, Numbered
from reditus.analysis.report.inks import DAY
from reditus.analysis.report.prepared import prepared_report
from reditus.analysis.report.spelled import spell_cell, spell_versions, spell_where, table_cells
from reditus.exchange.bundle.contents import Chart, Part, Sentences, Shapes, Table

REFERENCE = "exhibit:"
MOST_ROWS_SHOWN = 60
"""Of a table in a report; all of them are in the exhibit."""
LONG_ROWS = 18
"""A table of more may go on on the next sheet."""
FONTS = (
    ("Public Sans", "public-sans-latin-wght-normal-*.woff2", "100 900"),
    ("Source Serif 4", "source-serif-4-latin-opsz-normal-*.woff2", "200 900"),
)
Progress = Callable[[int, int], None]


def report_markdown(dossier: Dossier) -> str:
    """What the analyst wrote, else what Reditus prepares."""
    return dossier.fields.report if dossier.fields.report is not None else prepared_report(dossier)


def report_html(
    dossier: Dossier, fonts: Path | None, markdown: str | None = None, progress: Progress | None = None
) -> str:
    """The whole report. `fonts`: the folder of the built page that fonts are taken from; without it, or where it holds
    none, the reader's own serif and sans stand in. `markdown`: another text than the one that is kept.
    """
    text = report_markdown(dossier) if markdown is None else markdown
    template = _environment().get_template("report.html.j2")
    return template.render(
        version=__version__,
        title=dossier.question,
        footer=_css_text(dossier.question[:90]),
        fonts=Markup(_font_faces(fonts)),
        ink=DAY,
        body=Markup(_body(text, dossier, progress)),
    )


@cache
def _environment() -> Environment:
    return Environment(loader=PackageLoader("reditus.analysis.report", "."), autoescape=True, undefined=StrictUndefined)


def _css_text(text: str) -> Markup:
    """Text within a CSS string, none of whose letters can end it."""
    return Markup(
        "".join(letter if letter.isalnum() or letter in " .,-?" else f"\\{ord(letter):06x}" for letter in text)
    )


@cache
def _font_faces(folder: Path | None) -> str:
    faces = []
    for family, pattern, weights in FONTS:
        found = sorted((folder / "assets").glob(pattern)) if folder is not None else []
        if found:
            data = base64.b64encode(found[0].read_bytes()).decode()
            faces.append(
                f"@font-face {{ font-family: '{family}'; font-weight: {weights}; font-style: normal; "
                f"src: url(data:font/woff2;base64,{data}) format('woff2'); }}"
            )
    return "\n".join(faces)


def _body(text: str, dossier: Dossier, progress: Progress | None) -> str:
    markdown = MarkdownIt("commonmark", {"html": False, "typographer": False}).enable(["table", "strikethrough"])
    exhibits = {item.id: item for item in dossier.exhibits}
    shown: list[UUID] = []
    drawn = partial(_image, exhibits, shown, progress)

    def image(_: RendererProtocol, tokens: Sequence[Token], at: int, *__: object) -> str:
        return drawn(tokens, at)

    markdown.add_render_rule("image", image)
    tokens = markdown.parse(text)
    _free_exhibits(tokens)
    return str(markdown.renderer.render(tokens, markdown.options, {}))


def _free_exhibits(tokens: Sequence[Token]) -> None:
    """An exhibit that is a paragraph of its own stands outside of any: a figure lies in none."""
    for at, token in enumerate(tokens):
        children = token.children or []
        if token.type == "inline" and len(children) == 1 and _is_exhibit(children[0]):
            children[0].meta["whole"] = True
            for beside in (tokens[at - 1], tokens[at + 1]):
                beside.hidden = True


def _is_exhibit(token: Token) -> bool:
    return token.type == "image" and str(token.attrGet("src") or "").startswith(REFERENCE)


def _image(
    exhibits: Mapping[UUID, Numbered], shown: list[UUID], progress: Progress | None, tokens: Sequence[Token], at: int
) -> str:
    token = tokens[at]
    if not _is_exhibit(token):
        return f"<em>[picture left out: {escape(token.content)}]</em>"  # it would have to be fetched
    name = str(token.attrGet("src") or "").removeprefix(REFERENCE)
    item = _named(exhibits, name)
    if item is None:
        return f'<p class="note">Exhibit {escape(name[:60])} is not part of this investigation.</p>'
    if not token.meta.get("whole"):
        return f'<a href="#exhibit-{item.number}">exhibit {item.number}</a>'
    if progress is not None:
        progress(len(shown), len(exhibits))
    is_first = item.id not in shown
    shown.append(item.id)
    return figure(item, anchored=is_first)


def _named(exhibits: Mapping[UUID, Numbered], name: str) -> Numbered | None:
    """By its id or by its number."""
    if re.fullmatch(r"[1-9]\d{0,3}", name):
        return next((item for item in exhibits.values() if item.number == int(name)), None)
    try:
        return exhibits.get(UUID(name))
    except ValueError:
        return None


def figure(item: Numbered, *, anchored: bool = True) -> str:
    """An exhibit in HTML: pictures, tables, sentences and figures, with where they come from."""
    content = item.content
    clock = Clock(content.zone)
    pictures = iter(item.pictures)
    parts = [f'<p class="where">{escape(spell_where(content, clock))}</p>']
    parts += [_part(part, pictures, clock) for part in content.parts]
    if content.figures:
        cells = [
            f"<li><span>{escape(each.label)}</span> {escape(spell_cell(each.value, each.unit, clock))}</li>"
            for each in content.figures
        ]
        parts.append(f'<ul class="figures">{"".join(cells)}</ul>')
    coverage = content.source.coverage
    recorded = "" if coverage is None else f", {coverage:.1%} of the window recorded"
    parts.append(
        f"<figcaption>Exhibit {item.number}, frozen {escape(clock.instant(item.pinned_ns))}{recorded}. "
        f'{escape(spell_versions(content))}. <span class="sum">SHA-256 {item.checksum}</span></figcaption>'
    )
    rows = max((len(part.rows) for part in content.parts if isinstance(part, Table)), default=0)
    anchor = f' id="exhibit-{item.number}"' if anchored else ""
    kind = ' class="long"' if rows > LONG_ROWS else ""
    return f"<figure{anchor}{kind}>{''.join(parts)}</figure>"


def _part(part: Part, pictures: Any, clock: Clock) -> str:
    if isinstance(part, Chart | Shapes):
        return str(next(pictures, ""))
    if isinstance(part, Sentences):
        title = f"<p><strong>{escape(part.title)}</strong></p>" if part.title and part.lines else ""
        return title + "".join(f"<p>{escape(line)}</p>" for line in part.lines)
    heads, rows = table_cells(part, clock)
    head = "".join(f'<th scope="col"{_numeric(numeric)}>{escape(title)}</th>' for title, numeric in heads)
    body = "".join(
        "<tr>"
        + "".join(f"<td{_numeric(numeric)}>{escape(cell)}</td>" for cell, (_, numeric) in zip(row, heads, strict=True))
        + "</tr>"
        for row in rows[:MOST_ROWS_SHOWN]
    )
    rest = len(rows) - MOST_ROWS_SHOWN
    more = f"<p>And {rest:,} more rows, which the exhibit keeps.</p>" if rest > 0 else ""
    return (
        f'<div class="wide"><table><caption>{escape(part.title)}</caption><thead><tr>{head}</tr></thead>'
        f"<tbody>{body}</tbody></table></div>{more}"
    )


def _numeric(numeric: bool) -> str:
    return ' class="n"' if numeric else ""
