"""All errors are of one tree."""

import importlib
import pkgutil

import reditus
from reditus.core.errors import ReditusError


def test_errors_have_one_root():
    modules = [
        importlib.import_module(found.name)
        for found in pkgutil.walk_packages(reditus.__path__, "reditus.")
        if not found.name.endswith("__main__") and ".migrations." not in found.name
    ]
    own = {
        kind
        for module in modules
        for kind in vars(module).values()
        if isinstance(kind, type)
        and issubclass(kind, Exception)
        and not issubclass(kind, Warning)
        and kind.__module__.startswith("reditus.")
    }
    assert len(own) > 30
    assert {kind for kind in own if not issubclass(kind, ReditusError)} == set()
