"""The published schema of bundles, from the models that they are checked with."""

from typing import Any

from pydantic.json_schema import models_json_schema

from reditus.exchange.bundle.contents import Content
from reditus.exchange.bundle.manifest import Manifest

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def bundle_schema() -> dict[str, Any]:
    """JSON Schema 2020-12: a document is a manifest; `$defs/Content` is what an exhibit's file holds."""
    _, schema = models_json_schema([(Manifest, "validation"), (Content, "validation")], title="A bundle of Reditus")
    return {"$schema": DIALECT, "$ref": "#/$defs/Manifest", **schema}
