"""One router per noun."""

from reditus.server.routers import (
    archives,
    diagnosis,
    docs,
    health,
    intake,
    life,
    live,
    markers,
    measures,
    moment,
    names,
    plans,
    processes,
    recorders,
    series,
    strain,
)

ROUTERS = [
    health.router,
    measures.router,
    archives.router,
    intake.router,
    life.router,
    series.router,
    strain.router,
    moment.router,
    processes.router,
    markers.router,
    names.router,
    plans.router,
    recorders.router,
    diagnosis.router,
    live.router,
    docs.router,
]
