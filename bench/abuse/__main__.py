"""`python -m bench.abuse kills | files | requests | readers | hands [--many N] [--seed S]`; ends with 1 where anything was lost."""

from __future__ import annotations

import argparse
import tempfile
from pathlib import Path

from bench.abuse import files, hands, kills, readers, requests

RUNS = {"kills": kills.run, "files": files.run, "requests": requests.run, "readers": readers.run, "hands": hands.run}
USUAL = {"kills": 300, "files": 2000, "requests": 20_000, "readers": 60, "hands": 4000}


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.abuse", description=__doc__)
    parser.add_argument("run", choices=RUNS)
    parser.add_argument("--many", type=int, help="kills, files, requests or things that a hand does; minutes of readers")
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        wrong = RUNS[asked.run](Path(folder) / "data", asked.many or USUAL[asked.run], asked.seed)
    for line in wrong:
        print("WRONG:", line)
    print(f"{asked.run}: {len(wrong)} things wrong")
    raise SystemExit(bool(wrong))


if __name__ == "__main__":
    main()
