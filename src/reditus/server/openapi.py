"""`python -m reditus.server.openapi`: print the contract, from which the front end's types are made."""

import json

from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.store.store import Store


def contract() -> str:
    """The API's contract: OpenAPI as JSON."""
    # No connection is made before the first query.
    app = create_app(Store("postgresql+psycopg://nobody@127.0.0.1:1/none"), Settings())
    return json.dumps(app.openapi(), indent=1, sort_keys=True) + "\n"


if __name__ == "__main__":
    print(contract(), end="")
