"""Reports: previewed while they are written, and handed out as HTML, PDF, or Markdown with pictures."""

from collections.abc import Callable
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request, Response

from reditus.analysis.report.dossier import Dossier, dossier_of
from reditus.analysis.report.files import file_name, report_files
from reditus.analysis.report.page import report_html, report_markdown
from reditus.analysis.report.paper import Paper, report_pdf
from reditus.analysis.report.prepared import prepared_report
from reditus.server.cancellation import check_cancelled, run_until_disconnect
from reditus.server.context import Context, ContextDep
from reditus.server.investigation_schemas import PreviewIn, PreviewOut, ProgressOut

router = APIRouter(prefix="/investigations/{investigation_id}", tags=["investigations"])
jobs = APIRouter(prefix="/jobs", tags=["investigations"])

Job = Annotated[UUID | None, Query(description="An id that the client made, to ask for the progress by.")]


@router.post("/report/preview")
async def preview_report(investigation_id: UUID, body: PreviewIn, request: Request, context: ContextDep) -> PreviewOut:
    """The report with another text than the one that is kept, which stays as it is."""

    def work() -> PreviewOut:
        dossier = _dossier(context, investigation_id)
        text = prepared_report(dossier) if body.markdown is None else body.markdown
        return PreviewOut(html=report_html(dossier, context.web, text), markdown=text)

    return await run_until_disconnect(request, work, context.lanes.charts)


@router.get("/report.html", response_class=Response)
async def read_report_html(investigation_id: UUID, request: Request, context: ContextDep, job: Job = None) -> Response:
    """The report as one HTML file without any foreign resource."""

    def work(dossier: Dossier) -> bytes:
        return report_html(dossier, context.web, progress=_progress(context, job)).encode()

    return await _handed(context, request, investigation_id, job, (work, "html", "text/html; charset=utf-8"))


@router.get("/report.pdf", response_class=Response)
async def read_report_pdf(
    investigation_id: UUID, request: Request, context: ContextDep, paper: Paper = "A4", job: Job = None
) -> Response:
    """The report as PDF."""

    def work(dossier: Dossier) -> bytes:
        html = report_html(dossier, context.web, progress=_progress(context, job))
        context.progress.at(job, len(dossier.exhibits), len(dossier.exhibits) + 1, "setting pages")
        return report_pdf(html, paper)

    return await _handed(context, request, investigation_id, job, (work, "pdf", "application/pdf"))


@router.get("/report.zip", response_class=Response)
async def read_report_files(investigation_id: UUID, request: Request, context: ContextDep, job: Job = None) -> Response:
    """The report as Markdown with its pictures as SVG files, in a zip."""

    def work(dossier: Dossier) -> bytes:
        return report_files(dossier, report_markdown(dossier))

    return await _handed(context, request, investigation_id, job, (work, "zip", "application/zip"))


@jobs.get("/{job}")
def read_progress(job: UUID, context: ContextDep) -> ProgressOut:
    """How far a report or a bundle is, by the id that its request has; 0 of 0 before it begins and after it ends."""
    done, total, doing = context.progress.of(job)
    return ProgressOut(done=done, total=total, doing=doing)


def _dossier(context: Context, investigation_id: UUID) -> Dossier:
    store = context.store
    return dossier_of(store.investigations.get(investigation_id), store.investigations.exhibits(investigation_id))


def _progress(context: Context, job: UUID | None) -> Callable[[int, int], None]:
    def at(done: int, total: int) -> None:
        check_cancelled()
        context.progress.at(job, done, total, "drawing exhibits")

    return at


async def _handed(
    context: Context, request: Request, investigation_id: UUID, job: UUID | None,
    made: tuple[Callable[[Dossier], bytes], str, str],
) -> Response:  # fmt: skip
    work, ending, media = made

    def run() -> tuple[bytes, str]:
        dossier = _dossier(context, investigation_id)
        try:
            return work(dossier), dossier.question
        finally:
            context.progress.ended(job)

    data, question = await run_until_disconnect(request, run, context.lanes.long)
    return Response(data, media_type=media, headers={"Content-Disposition": file_name(question, ending)})
