/** Which pads are chosen, and what can be done with them, from a menu or by the right button. */
import { keepOnShelf } from "../app/chopping";
import { barOf } from "../app/actions";
import { edit } from "../app/edits";
import { fetchOfPocket } from "../app/files";
import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import type { Item } from "../design/Menu";
import { around } from "../wave/viewport";
import { PAGE } from "./keys";
import { pressPad } from "./press";

export type How = "one" | "toggle" | "range";

/** Choose a pad: it alone, one more or one less, or all filled ones from the last one chosen to it. */
export function choosePad(index: number, how: How): void {
  const { pads, look } = useView.getState();
  if (how === "one") return look({ pads: [index] });
  if (how === "toggle")
    return look({ pads: pads.includes(index) ? pads.filter((pad) => pad !== index) : [...pads, index] });
  const from = pads.at(-1) ?? index;
  const filled = Object.keys(usePocket.getState().open?.pocket.pads ?? {}).map(Number);
  const between = filled.filter((pad) => pad >= Math.min(from, index) && pad <= Math.max(from, index) && pad !== index);
  look({ pads: [...new Set([...pads, ...between, index])] });
}

export function padItems(pads: number[]): (Item | null)[] {
  const pocket = usePocket.getState().open?.pocket;
  const first = pads[0];
  const pad = first === undefined ? undefined : pocket?.pads[first];
  if (!pocket || first === undefined || !pad) return [];
  const many = pads.length > 1;
  const what = many ? `${pads.length} pads` : "it";
  return [
    { label: "Play it", disabled: many, onSelect: () => pressPad(first) },
    { label: "Show it in Chop", disabled: many, onSelect: () => showInChop(first) },
    { label: "Copy to the next free pad", disabled: many, onSelect: () => copyToFree(first) },
    {
      label: "Give its settings to the other chosen pads",
      disabled: !many,
      onSelect: () => void edit({ type: "copy_pad", pad: first, to: pads.slice(1), settings_only: true }),
    },
    null,
    {
      label: `Let ${what} ring`,
      checked: pads.every((index) => !pocket.pads[index]?.choke),
      onSelect: () => void letRing(pads),
    },
    {
      label: `Lock ${what}`,
      checked: pad.locked,
      onSelect: () => void edit({ type: "set_pads", pads, locked: !pad.locked }),
    },
    { label: many ? `Save ${what} as WAV files` : "Save it as a WAV file", onSelect: () => savePads(pads) },
    { label: `Save ${what} to the shelf`, onSelect: () => void keepOnShelf(pads) },
    null,
    { label: many ? `Clear ${what}` : "Clear pad", onSelect: () => void edit({ type: "clear_pads", pads }) },
  ];
}

/** One-shots of pads, as the browser saves files: one as it is, several in a ZIP. */
export function savePads(pads: number[]): void {
  void fetchOfPocket(`oneshots?pads=${pads.join(",")}`);
}

/** Nothing cuts them off, and they cut nothing off. */
export function letRing(pads: number[]): Promise<boolean> {
  return edit({ type: "set_pads", pads, choke: 0 });
}

export function showInChop(index: number): void {
  const chop = usePocket.getState().open?.pocket.pads[index]?.chop;
  const source = chop && usePocket.getState().open?.pocket.sources[chop.source];
  if (!chop || !source) return;
  useView.getState().look({ station: "chop", source: chop.source, cuts: chop.cut ? [chop.cut] : [] });
  useView
    .getState()
    .setWindow(
      source.id,
      around(Math.max(0, chop.start), Math.min(source.frames, chop.end), barOf(source), source.frames),
    );
}

function copyToFree(pad: number): void {
  const taken = usePocket.getState().open?.pocket.pads ?? {};
  let free = pad + 1;
  while (taken[free]) free++;
  void edit({ type: "copy_pad", pad, to: [free] }).then(
    (made) => made && useView.getState().look({ page: Math.floor(free / PAGE), pads: [free] }),
  );
}
