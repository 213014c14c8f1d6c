"""A report as PDF, set by WeasyPrint from the same HTML."""

from typing import Literal

from reditus.core.errors import CoreError

Paper = Literal["A4", "letter"]


class NoTypesetter(CoreError, RuntimeError):
    """The libraries that PDF is set with are not on this machine."""


def report_pdf(html: str, paper: Paper = "A4") -> bytes:
    """Tagged PDF on A4 or US letter. Nothing but what the HTML itself holds is read. Raise NoTypesetter."""
    try:
        # It loads Pango, which takes a while and may not be there.
        from weasyprint import CSS, HTML
        from weasyprint.urls import URLFetcher
    except OSError as why:
        raise NoTypesetter(
            "PDF is set with Pango, which is not installed here: install Debian's libpango-1.0-0, libpangoft2-1.0-0 "
            f"and libharfbuzz-subset0, or take the report as HTML and print it ({why})"
        ) from why
    fetcher = URLFetcher(allowed_protocols={"data"})
    sheet = CSS(string=f"@page {{ size: {paper} }}", url_fetcher=fetcher)
    written = HTML(string=html, url_fetcher=fetcher).write_pdf(stylesheets=[sheet], pdf_tags=True)
    assert isinstance(written, bytes)
    return written
