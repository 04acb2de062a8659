"""What docs/extending.md promises: a setting, an effect or a kind of record is added in few places, and the rest follows."""

from __future__ import annotations

import re
from pathlib import Path

from grainpocket.core.document.records import RECORDS
from grainpocket.core.document.sound import Sound
from grainpocket.core.effects import EFFECTS
from grainpocket.core.params import SOUND
from grainpocket.core.pocket import Favourite, Layer, Pad
from grainpocket.web.schemas import Changes

ROOT = Path(__file__).parent.parent
CODE = [*(ROOT / "grainpocket").rglob("*.py"), *(ROOT / "frontend" / "src").rglob("*.ts*")]


def naming(word: str, but: tuple[str, ...] = ()) -> set[str]:
    """Files of the program in which a word stands, as a whole word."""
    pattern = re.compile(rf"\b{word}\b")
    made = ("schema.d.ts",)
    found = {str(p.relative_to(ROOT)) for p in CODE if p.name not in made and pattern.search(p.read_text())}
    return {name for name in found if not name.startswith(but)}


def test_a_setting_of_a_pad_is_named_in_three_places() -> None:
    """filter_sustain, which is no word of anything else."""
    assert naming("filter_sustain") == {
        "grainpocket/core/document/settings.py", "grainpocket/core/shape/shaped.py", "frontend/src/stations/shape/cards.tsx",
    }  # fmt: skip


def test_the_sound_is_its_table_and_one_value() -> None:
    assert set(Sound.model_fields) == {setting.name for setting in SOUND} | {"by_velocity", "by_wheel", "chain"}
    for record in (Pad, Layer, Favourite):
        assert record.model_fields["sound"].annotation is Sound
        assert not {s.name for s in SOUND} & set(record.model_fields)


def test_an_effect_is_one_file_and_its_line() -> None:
    assert naming("crackle") == {"grainpocket/core/effects/aged.py"}
    listed = (ROOT / "grainpocket/core/effects/__init__.py").read_text()
    assert all(f"{kind}.EFFECT" in listed for kind in EFFECTS)


def test_every_kind_of_record_is_told_to_the_front_end() -> None:
    assert RECORDS.keys() <= Changes.model_fields.keys()
    kinds = re.search(r"const KINDS.*?= \[(.*?)\];", (ROOT / "frontend/src/app/pocket.ts").read_text(), re.S)
    assert kinds is not None
    assert set(re.findall(r'"(\w+)"', kinds[1])) == set(RECORDS)


def test_every_station_is_a_folder_and_two_lines() -> None:
    listed = re.findall(r'{ key: "(\w+)", label:', (ROOT / "frontend/src/app/stations.ts").read_text())
    shown = re.findall(r"^  (\w+): [\w(]+", (ROOT / "frontend/src/stations/pages.tsx").read_text(), re.M)
    assert set(listed) == set(shown) - {"pocket"}
    assert set(listed) == {p.name for p in (ROOT / "frontend/src/stations").iterdir() if p.is_dir()}
