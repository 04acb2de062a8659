"""What things are called when nobody has named them: by what they are, and numbered in the order in which they appear.

A slice, a pad and what lies in the tray have an own `name`, which is the musician's or came with a file and always wins, and
`called`, which is what is shown: the own name, or one from here. A pad's is unique among the pads of its pocket and stays as long
as it tells what is played, so that nothing is renamed under the hands when another pad is cleared.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence

from grainpocket.core.document.base import Role

NAMES: Mapping[Role | None, str] = {
    "kick": "Kick", "snare": "Snare", "hat": "Hat", "perc": "Perc", "tonal": "Keys", "vocal": "Voice", None: "Slice",
}  # fmt: skip
GHOST = "Ghost"
STRETCH = "Loop"
LONGEST = 80
_NUMBERED = re.compile(r"^(.+?) \d+$", re.DOTALL)


def numbered(bases: Sequence[str], own: Iterable[str | None], alone: Callable[[str], bool] = lambda base: False) -> list[str]:
    """A name for each base, counted up per base ("Kick 1", "Kick 2"), that no own name has taken. alone: bases of which the first
    one goes without a number."""
    taken = {name for name in own if name}
    out = []
    for base in bases:
        out.append(free(base, taken, alone(base)))
        taken.add(out[-1])
    return out


def free(base: str, taken: Iterable[str], alone: bool = False) -> str:
    """The base with the first number that is not taken; without one if it may stand alone."""
    there = taken if isinstance(taken, (set, frozenset, Mapping)) else set(taken)
    base = base[: LONGEST - 6]
    if alone and base not in there:
        return base
    number = 2 if alone else 1
    while f"{base} {number}" in there:
        number += 1
    return f"{base} {number}"


def of_base(name: str, base: str) -> bool:
    """Whether a name is this base, with or without a number behind it."""
    return name == base or (name.startswith(f"{base} ") and name[len(base) + 1 :].isdigit())


def base_of(name: str) -> str:
    """The name without the number behind it."""
    found = _NUMBERED.match(name)
    return found.group(1) if found else name
