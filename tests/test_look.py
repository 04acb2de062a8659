"""The inks of both prints: what is read and what is drawn stands off from what it lies on (WCAG 2.2, 1.4.3)."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

TOKENS = (Path(__file__).parent.parent / "frontend/src/design/tokens.css").read_text()
READ = ("ink", "ink2", "now", "kick", "snare", "hat", "perc", "tonal", "vocal")
UNDER = ("paper", "card", "well", "stripe")


def inks(of: str) -> dict[str, str]:
    block = TOKENS[TOKENS.index(of) :]
    return dict(re.findall(r"--color-([a-z0-9]+): (#[0-9a-f]{6})", block[: block.index("}")]))


def luminance(colour: str) -> float:
    parts = (int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5))
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("print_", ["@theme static", '[data-print="night"]'])
def test_every_ink_is_read_on_every_paper(print_: str) -> None:
    known = inks(print_)
    for ink in READ:
        for under in UNDER:
            assert contrast(known[ink], known[under]) >= (3.0 if under == "well" else 4.5), (ink, under)


def test_by_night_the_inks_are_turned_round() -> None:
    day, night = inks("@theme static"), inks('[data-print="night"]')
    assert set(READ + UNDER) <= set(night) <= set(day)
    for ink in READ:
        assert luminance(day[ink]) < luminance(day["paper"])
        assert luminance(night[ink]) > luminance(night["paper"])
        assert contrast(night[ink], night["card"]) > 0.75 * contrast(day[ink], day["card"])


def test_no_component_has_an_ink_of_its_own() -> None:
    """What is not named in the style sheet would stay as it is by night."""
    own = re.compile(r"""["'\[](#[0-9a-fA-F]{3,8}|white|black)["'\]]|rgba?\(""")
    source = Path(__file__).parent.parent / "frontend/src"
    found = [
        f"{path.relative_to(source)}: {line.strip()}"
        for path in sorted(source.rglob("*.ts*"))
        if path.name != "schema.d.ts"
        for line in path.read_text().splitlines()
        if own.search(line)
    ]
    assert found == []
