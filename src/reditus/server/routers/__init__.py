"""One router per noun."""

from reditus.server.routers import archives, diagnosis, health, intake, live, measures, moment, processes, series

ROUTERS = [
    health.router,
    measures.router,
    archives.router,
    intake.router,
    series.router,
    moment.router,
    processes.router,
    diagnosis.router,
    live.router,
]
