"""Plans: what recorders record, how often, when, and how long it is kept."""

from typing import Annotated

from fastapi import APIRouter, Body, Response

from reditus.core.plan import GROUPS, Plan, PlanError
from reditus.server import document_schemas
from reditus.server.context import StoreDep
from reditus.server.plan_schemas import GroupOut, PlanOut

router = APIRouter(prefix="/plans", tags=["plans"])


@router.get("")
def list_plans(store: StoreDep) -> list[PlanOut]:
    """All plans."""
    return [PlanOut.of(info) for info in store.plans.all()]


@router.get("/groups")
def list_groups() -> list[GroupOut]:
    """The groups of counters that a plan may name."""
    return [GroupOut(name=name, title=title) for name, title in GROUPS.items()]


@router.put("/{name:path}")
def put_plan(name: str, plan: Annotated[document_schemas.Plan, Body()], store: StoreDep) -> PlanOut:
    """Make or change a plan. Recorders that follow it do so within seconds, without a restart."""
    read = Plan.from_json(plan)
    if read.name != name:
        raise PlanError([("name", f"the address says {name!r}, the plan {read.name!r}; a plan keeps its name")])
    store.plans.put(read)
    return next(PlanOut.of(info) for info in store.plans.all() if info.name == name)


@router.delete("/{name:path}", status_code=204, response_class=Response)
def remove_plan(name: str, store: StoreDep) -> None:
    """Remove a plan that no recorder follows."""
    store.plans.delete(name)
