"""What every fit is asked on the command line."""

from __future__ import annotations

import argparse
from pathlib import Path

import torch


def asking(about: str | None, epochs: int) -> argparse.ArgumentParser:
    """The weights to write, the files to fit them to, a seed and a number of epochs."""
    ask = argparse.ArgumentParser(description=about, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("out", type=Path)
    ask.add_argument("files", type=Path, nargs="+")
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--epochs", type=int, default=epochs)
    return ask


def begun(ask: argparse.ArgumentParser) -> argparse.Namespace:
    """What was asked, torch seeded with it and on one core, so that a fit comes out the same again."""
    asked = ask.parse_args()
    torch.manual_seed(asked.seed)
    torch.set_num_threads(1)
    return asked
