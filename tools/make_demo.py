"""Write the demo case into the package: `make demo-data`. The same seed always gives the same bytes."""

from __future__ import annotations

import shutil
from pathlib import Path

from stomion.standin.demo import demo_files

TARGET = Path(__file__).resolve().parent.parent / "src" / "stomion" / "demo"


def main() -> None:
    files = demo_files()
    shutil.rmtree(TARGET, ignore_errors=True)
    for name, data in files.items():
        path = TARGET / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    print(f"{len(files)} files in {TARGET}")


if __name__ == "__main__":
    main()
