"""What all records of a document share."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

RATE = 44100
PAGE = 16
MOST_PADS = PAGE * 64
MOST_BARS = 64
Role = Literal["kick", "snare", "hat", "perc", "tonal", "vocal"]
Name = Field(min_length=1, max_length=80)


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
