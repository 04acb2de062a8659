"""Pictures of what settings do, as numbers."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel


class DrawingReply(BaseModel):
    """What an effect does, as a line through points or a bar at each; no points: there is nothing to see of it."""

    x: list[float] = []
    y: list[float] = []
    x_unit: str = ""
    y_unit: str = ""
    low: float = 0
    high: float = 1
    log_x: bool = False
    shape: Literal["line", "bars"] = "line"
