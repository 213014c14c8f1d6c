"""Whether the server can keep and read anything."""

from fastapi import APIRouter, Response

from reditus import __version__
from reditus.server.context import StoreDep
from reditus.server.schemas import HealthOut
from reditus.store import StoreAway

router = APIRouter(tags=["health"])


@router.get("/health")
def read_health(store: StoreDep, response: Response) -> HealthOut:
    """Status 200 when all is well, or when only nothing can be written; 503 while the database is away."""
    try:
        store.check()
    except StoreAway as why:
        response.status_code = 503
        return HealthOut(status="database away", version=__version__, detail=str(why))
    if store.full is not None:
        return HealthOut(status="disk full", version=__version__, detail=store.full)
    return HealthOut(status="ok", version=__version__)
