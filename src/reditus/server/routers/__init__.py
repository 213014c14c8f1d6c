"""One router per noun."""

from reditus.server.routers import (
    archives,
    diagnosis,
    health,
    intake,
    live,
    measures,
    moment,
    plans,
    processes,
    recorders,
    series,
)

ROUTERS = [
    health.router,
    measures.router,
    archives.router,
    intake.router,
    series.router,
    moment.router,
    processes.router,
    plans.router,
    recorders.router,
    diagnosis.router,
    live.router,
]
