/** What can be done with the slices at hand: those of the find, those found among all, those in the tray. One set of buttons. */
import type { Role, Source } from "../../api/types";
import { ontoPads, originalRhythm, slicesToPads } from "../../app/actions";
import { chosenIntoTray, fitToPads, intoTray, ontoChosen, splitByDrum, trayToPads } from "../../app/chopping";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { ROLE_NAMES, ROLES } from "../../design/roles";
import { PAGE } from "../../pads/keys";

/** More pages than this are not filled without a word. */
const MOST_PAGES = 2;

export function SliceActions({ source, chosen }: { source: Source; chosen: number }) {
  const none = !source.cuts.length;
  const pads = useView((s) => s.pads.length);
  return (
    <>
      <Button
        keys="T"
        disabled={!chosen}
        hint="Set the chosen slices aside, for a kit of several finds"
        onClick={chosenIntoTray}
      >
        Into tray
      </Button>
      <Button
        keys="P"
        disabled={!chosen}
        hint="Put the chosen slices on the next free pads"
        onClick={() => void slicesToPads(false)}
      >
        {chosen > 1 ? `${chosen} to pads` : "To pad"}
      </Button>
      <Menu
        label="Lay it out over pads"
        trigger={<Button hint="The find, or the selection">Lay out ▾</Button>}
        items={[
          { label: "Spread over 16 pads in equal beats", onSelect: () => fitToPads("beats", 16) },
          { label: "Spread over 8 pads in equal beats", onSelect: () => fitToPads("beats", 8) },
          { label: "Merge its slices into 16 pads", disabled: none, onSelect: () => fitToPads("slices", 16) },
          { label: "Merge its slices into 8 pads", disabled: none, onSelect: () => fitToPads("slices", 8) },
          null,
          {
            label: "Chosen slices onto the chosen pads",
            disabled: !chosen || !pads,
            onSelect: () => ontoChosen(false),
          },
          {
            label: "Layer chosen slices on the chosen pads",
            disabled: !chosen || !pads,
            onSelect: () => ontoChosen(true),
          },
          null,
          {
            label: "Split by drum: a lane for each",
            disabled: none || !source.grid,
            onSelect: () => void splitByDrum(),
          },
          {
            label: "Original rhythm, on the grid",
            disabled: none || !source.grid,
            onSelect: () => void originalRhythm(true),
          },
        ]}
      />
      <Button
        hint={
          source.grid
            ? "Make a pattern that plays the pads as this was played; missing slices go on pads"
            : "Set its tempo in Listen first"
        }
        onClick={() => void originalRhythm()}
      >
        Original rhythm
      </Button>
      <AllToPads source={source} />
    </>
  );
}

/** All slices that are on no pad yet. When they take more than two pages that is said first, with smaller choices. */
function AllToPads({ source }: { source: Source }) {
  const pads = usePocket((s) => s.open?.pocket.pads);
  const selection = useView((s) =>
    s.selection?.source === source.id && s.selection.end > s.selection.start ? s.selection : null,
  );
  const there = new Set(Object.values(pads ?? {}).map((pad) => pad.chop.cut));
  const left = source.cuts.filter((cut) => !there.has(cut.id));
  const pages = (count: number) => `${Math.ceil(count / PAGE)} ${count > PAGE ? "pages" : "page"}`;
  const put = (cuts: Source["cuts"]) =>
    void ontoPads({ type: "slices_to_pads", source: source.id, cuts: cuts.map((cut) => cut.id) }, "slice");
  if (left.length <= MOST_PAGES * PAGE)
    return (
      <Button tone="go" disabled={!source.cuts.length} onClick={() => void slicesToPads(true)}>
        All to pads
      </Button>
    );
  const inside = selection ? left.filter((cut) => cut.at >= selection.start && cut.at < selection.end) : [];
  const of = (role: Role) => left.filter((cut) => cut.role === role);
  return (
    <Menu
      label="Which slices go on pads"
      trigger={<Button tone="go">All to pads ▾</Button>}
      items={[
        { label: `All ${left.length}: ${pages(left.length)}`, onSelect: () => void slicesToPads(true) },
        ...(inside.length
          ? [{ label: `The ${inside.length} in the selection: ${pages(inside.length)}`, onSelect: () => put(inside) }]
          : []),
        null,
        ...ROLE_NAMES.filter((role) => of(role).length).map((role) => ({
          label: `${ROLES[role].glyph} Only ${ROLES[role].label}, ${of(role).length}: ${pages(of(role).length)}`,
          onSelect: () => put(of(role)),
        })),
      ]}
    />
  );
}

export function FoundActions() {
  const marked = useView((s) => s.marked);
  const sources = usePocket((s) => s.open?.pocket.sources);
  const there = marked.filter(([source, cut]) => sources?.[source]?.cuts.some((one) => one.id === cut));
  async function toPads() {
    const finds = [...new Set(there.map(([source]) => source))];
    for (const find of finds) {
      const cuts = there.filter(([source]) => source === find).map(([, cut]) => cut);
      if (!(await ontoPads({ type: "slices_to_pads", source: find, cuts }, "slice"))) return;
    }
  }
  return (
    <>
      <Button
        disabled={!there.length}
        hint="Set the highlighted slices aside, for a kit"
        onClick={() => intoTray(there.map(([source, cut]) => ({ source, cut })))}
      >
        Into tray
      </Button>
      <Button
        tone="go"
        disabled={!there.length}
        hint="The highlighted slices, on the next free pads"
        onClick={() => void toPads()}
      >
        {there.length > 1 ? `${there.length} to pads` : "To pad"}
      </Button>
    </>
  );
}

export function TrayActions() {
  const tray = usePocket((s) => s.open?.pocket.tray.length ?? 0);
  const pads = usePocket((s) => s.open?.pocket.pads);
  const filled = useView((s) => s.pads).filter((pad) => pads?.[pad]).length;
  const everything = Array.from({ length: tray }, (_, i) => i);
  return (
    <>
      <Button tone="quiet" disabled={!tray} onClick={() => void edit({ type: "take_from_tray", places: everything })}>
        Empty it
      </Button>
      <Button
        disabled={!tray || !filled}
        hint="Each sounds along with one of the chosen pads, in order"
        onClick={() => void trayToPads(true)}
      >
        Layer on chosen pads
      </Button>
      <Button
        tone="go"
        disabled={!tray}
        hint="One each, on the next free pads, names and all"
        onClick={() => void trayToPads()}
      >
        Tray to pads
      </Button>
    </>
  );
}
