"""Record the lab's scenarios on Debian's own kernel, emulated.

Run: .venv/bin/python -m benchmarks.lab.emulated FOLDER [NAME ...]     make, boot, record (as root; half an hour)
     .venv/bin/python -m benchmarks.lab FOLDER --judge                 judge what was recorded

The machine is made once, in FOLDER/machine, of Debian's packages; what is missing here to make and run it is installed.
It is some ten times slower than this one; the arithmetic of waiting is that of any kernel.
"""

import argparse
import os
import shutil
import subprocess
from pathlib import Path

from benchmarks.lab.emulated.image import make_image
from benchmarks.lab.emulated.machine import run_machine
from benchmarks.lab.packing import pack


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("names", nargs="*", default=[])
    requested = parser.parse_args()
    if os.geteuid():
        raise SystemExit("needs root: the machine's disk is made of a tree with its owners")
    folder: Path = requested.folder.resolve()
    machine = folder / "machine"
    print("making the machine", flush=True)
    make_image(machine, requested.names)
    run_machine(machine, lambda what: print(what, flush=True))
    _take_out(machine / "root.img", folder)


def _take_out(root: Path, folder: Path) -> None:
    """What was recorded, out of the machine's disk."""
    subprocess.run(["debugfs", "-R", f"rdump /results {folder}", str(root)], check=True, capture_output=True)
    for path in sorted((folder / "results").iterdir()):
        if path.suffix == ".failed":
            print(f"{path.stem} failed: {path.read_text().strip().splitlines()[-1]}")
        elif path.is_file():
            path.replace(folder / path.name)
    shutil.rmtree(folder / "results")
    for path in folder.glob("*.txt"):
        pack(path)


if __name__ == "__main__":
    main()
