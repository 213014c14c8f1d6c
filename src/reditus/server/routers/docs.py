"""/api/docs: the API, readable, from parts that ship with the page. Nothing of it asks another host."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

router = APIRouter(include_in_schema=False)

PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Reditus: API</title>
<link rel="stylesheet" href="/api-docs/swagger-ui.css"></head>
<body><div id="api" data-contract="/api/openapi.json"></div>
<script src="/api-docs/swagger-ui-bundle.js"></script><script src="/api-docs/start.js"></script></body></html>
"""


@router.get("/docs")
def read_docs() -> HTMLResponse:
    """The page of the API."""
    return HTMLResponse(PAGE)
