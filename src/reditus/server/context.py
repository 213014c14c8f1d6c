"""What handlers need, handed to them by the application."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated

from fastapi import Depends, Request

from reditus.analysis.diagnosis import SpanCache
from reditus.analysis.maintenance import Journal
from reditus.exchange.otlp.receiving import Receiver
from reditus.server.importing import Importer
from reditus.server.kept_tables import KeptTables
from reditus.server.lanes import Budget, Lanes
from reditus.server.live_broadcast import TickBroadcaster
from reditus.server.progress import Progress
from reditus.store.store import Store


@dataclass(frozen=True, slots=True)
class Context:
    """What handlers share."""

    store: Store
    broadcaster: TickBroadcaster
    budget: Budget
    importer: Importer
    judged: SpanCache = field(default_factory=SpanCache)
    lanes: Lanes = field(default_factory=Lanes)
    journal: Journal = field(default_factory=Journal)
    progress: Progress = field(default_factory=Progress)
    receiver: Receiver = field(default_factory=Receiver)
    tables: KeptTables = field(default_factory=KeptTables)
    web: Path | None = None
    """The built front end, whose fonts reports have inside."""


def context_of(request: Request) -> Context:
    """The application's context."""
    context = request.app.state.context
    assert isinstance(context, Context)
    return context


def store_of(request: Request) -> Store:
    """The application's store."""
    return context_of(request).store


StoreDep = Annotated[Store, Depends(store_of)]
ContextDep = Annotated[Context, Depends(context_of)]
