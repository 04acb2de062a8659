"""One time line for a family: a mix, its stems and its cleaned copies.

The root of a family holds its cuts, in its own samples; each of its kin sees them moved by where it begins. So a cut that is
moved on a stem moves under the mix too, and a pad can change from one to another and keep its place.
"""

from __future__ import annotations

from collections.abc import Iterable

from grainpocket.core.pocket import Chop, Cut, Pocket, Source


def root_of(pocket: Pocket, source: Source) -> tuple[Source, int]:
    """(the root of its family, the sample of the root at which it begins), as they are in the pocket now; itself and 0 when
    it has no family."""
    if source.kin is None or source.kin.root not in pocket.sources:
        return pocket.sources.get(source.id, source), 0
    return pocket.sources[source.kin.root], source.kin.offset


def family(pocket: Pocket, source: Source) -> list[Source]:
    """All that share its time line, the root first."""
    root, _ = root_of(pocket, source)
    return [root, *(s for s in pocket.sources.values() if s.kin is not None and s.kin.root == root.id)]


def related(pocket: Pocket, a: Source, b: Source) -> bool:
    """Whether two finds are of one family."""
    return root_of(pocket, a)[0].id == root_of(pocket, b)[0].id


def cuts_of(pocket: Pocket, source: Source) -> tuple[Cut, ...]:
    """Its family's cuts that lie inside it, in its own samples."""
    root, offset = root_of(pocket, source)
    if root.id == source.id or not (offset or source.frames != root.frames):
        return root.cuts
    moved = (cut.model_copy(update={"at": cut.at - offset}) for cut in root.cuts if 0 <= cut.at - offset < source.frames)
    return tuple(moved)


def slices(pocket: Pocket, source: Source, only: Iterable[str] | None = None) -> list[Chop]:
    """The slices that begin inside a source, in order, or those whose cut ids are given. Raises KeyError for an id it has
    not. A slice reaches to the family's next cut, so that it is the same under each of its kin."""
    root, offset = root_of(pocket, source)
    all_of_them = [
        Chop(source=source.id, start=start - offset, end=end - offset, cut=cut)
        for cut, (start, end) in regions_of(root).items()
        if end > start
    ]
    if only is None:
        return [chop for chop in all_of_them if 0 <= chop.start < source.frames]
    by_cut = {chop.cut: chop for chop in all_of_them}
    return [by_cut[cut] for cut in only]


def under(pocket: Pocket, chop: Chop, other: Source) -> Chop:
    """The same place on another source of its family."""
    _, here = root_of(pocket, pocket.sources[chop.source])
    _, there = root_of(pocket, other)
    return chop.model_copy(update={"source": other.id, "start": chop.start + here - there, "end": chop.end + here - there})


def following(pocket: Pocket, chop: Chop, regions: dict[str, tuple[int, int]]) -> Chop:
    """A chop brought along to where its slice is now. regions: (start, end) of each slice in the root's samples, by cut. One
    whose slice is gone keeps its sound and follows nothing any more."""
    if chop.cut is None:
        return chop
    if chop.cut not in regions or (chop.last is not None and chop.last not in regions):
        return chop.model_copy(update={"cut": None, "last": None})
    _, offset = root_of(pocket, pocket.sources[chop.source])
    start, end = regions[chop.cut][0] - offset, regions[chop.last or chop.cut][1] - offset
    if end <= start:
        return chop.model_copy(update={"cut": None, "last": None})
    if (start, end) == (chop.start, chop.end):
        return chop
    return chop.model_copy(update={"start": start, "end": end})


def regions_of(root: Source) -> dict[str, tuple[int, int]]:
    """(start, end) of each slice by its cut."""
    ends = [*(cut.at for cut in root.cuts[1:]), root.frames]
    # One that was never cut has an end and no slice.
    return {cut.id: (cut.at, end) for cut, end in zip(root.cuts, ends, strict=False)}
