"""What the contract says is what the server does, whatever it is queried: Schemathesis, with all of its checks, over
all of it, against
the real server as a process of its own.
"""

from collections.abc import Iterator
from pathlib import Path
from uuid import uuid4

import httpx
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis.checks import load_all_checks
from schemathesis.specs.openapi.checks import positive_data_acceptance

from api_helpers import BLOCKS, REGISTRATION
from builders import ARCHIVE, a_block, a_schema
from databases import new_database
from reditus.cli.service import Service, service
from reditus.server.settings import Settings

EXAMPLES = 12
"""Of each operation; bounded, and always the same ones."""

BEYOND_SCHEMAS = {
    "bad-time", "bad-window", "bad-json", "bad-block", "block-version", "bad-schema", "bad-facts", "bad-plan",
    "request-too-large", "bad-address", "bad-verdict", "bad-log", "bad-zone", "bad-bundle", "bad-file",
}  # fmt: skip
"""What a schema cannot say: that a window ends after it begins, that bytes are a block, that a text holds no NUL.
Nothing else may be
refused that the schema allows; so much for the one check of Schemathesis's own that takes a schema for the whole truth.
"""
load_all_checks()


@pytest.fixture(scope="module")
def served(cluster, tmp_path_factory) -> Iterator[Service]:
    """A server with something in it to be found."""
    data = tmp_path_factory.mktemp("contract")
    with service(Settings(data=data, database_url=new_database(cluster)), anywhere=True) as running:
        with httpx.Client(base_url=running.url, trust_env=False) as http:
            schema = a_schema()
            http.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION).raise_for_status()
            path = f"/api/archives/{ARCHIVE}/schemas/{schema.digest.hex()}"
            http.put(path, json=schema.as_json()).raise_for_status()
            http.post(BLOCKS, content=a_block(300).to_bytes()).raise_for_status()
            http.put("/api/plans/usual", json={"name": "usual"}).raise_for_status()
        yield running


def mutated(raw: bytes, at: int, byte: int) -> bytes:
    out = bytearray(raw)
    out[at % len(out)] ^= byte
    return bytes(out)


BATCHES = st.integers(0, 9).map(lambda start: a_block(5, start=1_000 + 10 * start).to_bytes())
schemathesis.openapi.media_type(
    "application/vnd.reditus.blocks",
    BATCHES | st.builds(mutated, BATCHES, st.integers(0, 10_000), st.integers(1, 255)) | st.binary(max_size=300),
)
schemathesis.openapi.media_type("application/vnd.reditus.bundle+zip", st.binary(max_size=300))
schemathesis.openapi.media_type("application/octet-stream", st.binary(max_size=300))
schemathesis.openapi.media_type("application/x-protobuf", st.binary(max_size=300))
CONTRACT = schemathesis.openapi.from_path(Path(__file__).resolve().parents[2] / "web" / "openapi.json")
# The stream of an archive never ends.
OPERATIONS = {
    operation.label: operation
    for operation in (found.ok() for found in CONTRACT.get_all_operations())
    if not operation.path.endswith("/live")
}


@pytest.mark.parametrize("label", OPERATIONS)
def test_the_server_keeps_its_contract(served, label):
    @settings(
        max_examples=EXAMPLES, deadline=None, derandomize=True, database=None, phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=OPERATIONS[label].as_strategy())
    def keeps(case):
        response = case.call(base_url=served.url)
        case.validate_response(response, excluded_checks=[positive_data_acceptance])
        is_problem = response.headers.get("content-type", [""])[0] == "application/problem+json"
        if is_problem and case.meta.generation.mode.is_positive and response.status_code in (400, 422):
            assert response.json()["type"].removeprefix("urn:reditus:problem:") in BEYOND_SCHEMAS, response.text

    keeps()


def test_the_stream_of_an_archive_that_is_not_there(served):
    """The one operation left out above, for it never ends where there is an archive."""
    response = httpx.get(f"{served.url}/api/archives/{uuid4()}/live", trust_env=False)
    assert response.status_code == 404
    assert response.headers["content-type"] == "application/problem+json"
