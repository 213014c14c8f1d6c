"""How the two wheels are made. `python -m build` gives `reditus` and, beside it, `reditus-recorder`; no file is in
both.
"""

from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface
from hatchling.builders.wheel import WheelBuilder
from hatchling.metadata.plugin.interface import MetadataHookInterface

RECORDER_PROJECT = Path("packaging") / "recorder"
RECORDER_MODULES = (
    "__init__", "core/__init__", "core/batches", "core/blocks", "core/checksums", "core/column_codec", "core/counters",
    "core/delta_array", "core/durations", "core/errors", "core/fact_parts", "core/fact_readers", "core/facts",
    "core/frame", "core/identities", "core/kernel_columns", "core/log_lines", "core/log_text", "core/markers",
    "core/outside", "core/plan", "core/processes", "core/records", "core/reports", "core/rfc3339", "core/schema",
    "core/smbios", "core/types",
)  # fmt: skip
"""The part of the core that the recorder imports; tests/packaging holds it against the imports."""
NOT_PACKAGED = {"__pycache__"}


def recorder_files(source: Path) -> set[Path]:
    """Files of the recorder's wheel, relative to the package's folder."""
    modules = {Path(f"{name}.py") for name in RECORDER_MODULES}
    return modules | {Path("py.typed")} | _files_below(source, source / "recorder")


def server_files(source: Path) -> set[Path]:
    """Files of the other wheel, without the front end."""
    return _files_below(source, source) - recorder_files(source)


def _files_below(source: Path, folder: Path) -> set[Path]:
    return {
        path.relative_to(source)
        for path in folder.rglob("*")
        if path.is_file() and not NOT_PACKAGED & set(path.parts) and path.suffix != ".pyc"
    }


class VersionedDependencies(MetadataHookInterface):
    """The server's wheel needs the recorder's of the very same version."""

    PLUGIN_NAME = "custom"

    def update(self, metadata: dict[str, Any]) -> None:
        """Set the dependencies."""
        metadata["dependencies"] = [f"reditus-recorder=={metadata['version']}", *self.config["requires"]]


class TwoWheels(BuildHookInterface[Any]):
    """Chooses the files of each wheel, and makes the recorder's beside the server's."""

    PLUGIN_NAME = "custom"

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Name the files of the wheel that is built; the server's builds the recorder's too."""
        root = Path(self.root)
        if root.name == RECORDER_PROJECT.name:
            source = root.parent.parent / "src" / "reditus"
            self._take(build_data, source, recorder_files(source))
            return
        source, page = root / "src" / "reditus", root / "web" / "dist"
        if version == "editable":
            return
        if not (page / "index.html").is_file():
            raise RuntimeError("the front end is not built: run ./reditus serve once, or `npm run build` in web/")
        self._take(build_data, source, server_files(source))
        build_data["force_include"][str(page)] = "reditus/web"
        recorder = WheelBuilder(str(root / RECORDER_PROJECT))
        for made in recorder.build(directory=self.directory, versions=["standard"]):
            self.app.display_info(f"also built {Path(made).name}")

    @staticmethod
    def _take(build_data: dict[str, Any], source: Path, files: set[Path]) -> None:
        for path in sorted(files):
            build_data["force_include"][str(source / path)] = f"reditus/{path.as_posix()}"
