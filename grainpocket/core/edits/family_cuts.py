"""New cuts on a family's time line, and everything that plays its slices brought along."""

from __future__ import annotations

from collections.abc import Callable

from grainpocket.core.chop.kin import following, regions_of, root_of
from grainpocket.core.pocket import Chop, Cut, Pad, Pocket, Source


def with_cuts(pocket: Pocket, source: Source, cuts: tuple[Cut, ...]) -> Pocket:
    """The pocket with these cuts (rising, in the samples of `source`) inside a source; what its family has outside it stays.
    `source` may differ from the pocket's own in other fields: those are taken on too."""
    pocket = pocket.with_source(source)
    root, offset = root_of(pocket, source)
    if root.id != source.id:
        outside = [c for c in root.cuts if not 0 <= c.at - offset < source.frames]
        inside = (c.model_copy(update={"at": c.at + offset}) if offset else c for c in cuts)
        cuts = tuple(sorted((*outside, *(c for c in inside if 0 <= c.at < root.frames)), key=lambda c: c.at))
    return with_root_cuts(pocket, root, cuts)


def with_root_cuts(pocket: Pocket, root: Source, cuts: tuple[Cut, ...]) -> Pocket:
    """The same, where `root` heads a family and the cuts are all of them."""
    root = root.model_copy(update={"cuts": cuts})
    pocket = pocket.with_source(root)
    regions, mine = regions_of(root), {s.id for s in pocket.sources.values() if root_of(pocket, s)[0].id == root.id}
    return with_chops(pocket, lambda chop: following(pocket, chop, regions) if chop.source in mine else chop)


def with_chops(pocket: Pocket, change: Callable[[Chop], Chop]) -> Pocket:
    """The pocket with every chop on its pads and in its tray changed; what stays the same stays the very same record."""
    pads = {index: pad_with(pad, change) for index, pad in pocket.pads.items()}
    tray = tuple(
        held if (chop := change(held.chop)) is held.chop else held.model_copy(update={"chop": chop}) for held in pocket.tray
    )
    if tray == pocket.tray:
        tray = pocket.tray
    return pocket.model_copy(update={"pads": pads, "tray": tray})


def pad_with(pad: Pad, change: Callable[[Chop], Chop]) -> Pad:
    """A pad with each of its chops changed."""
    chop = change(pad.chop)
    takes = tuple(change(take) for take in pad.takes)
    layers = tuple(
        layer if (now := change(layer.chop)) is layer.chop else layer.model_copy(update={"chop": now}) for layer in pad.layers
    )
    zones = tuple(zone.model_copy(update={"chop": change(zone.chop)}) for zone in pad.zones)
    same = all(a is b for a, b in zip(takes, pad.takes, strict=True)) and layers == pad.layers and zones == pad.zones
    if chop is pad.chop and same:
        return pad
    return pad.model_copy(update={"chop": chop, "takes": takes, "layers": layers, "zones": zones})


def chops_of(pad: Pad) -> tuple[Chop, ...]:
    """All chops that a pad plays: its own, its takes, layers and zones."""
    return (pad.chop, *pad.takes, *(layer.chop for layer in pad.layers), *(zone.chop for zone in pad.zones))
