/** What may be dropped on a pad: another pad, a slice, a favourite, a whole find. */
import type { DragEvent } from "react";

import type { Favourite, Pad } from "../api/types";
import { edit } from "../app/edits";
import { usePocket } from "../app/pocket";
import { fromShelf } from "../app/chopping";

const KINDS = ["text/pad", "text/cut", "text/favourite", "text/find"];

/** Handlers of a pad's card. over: told when something hangs over it. */
export function droppedOn(index: number, pad: Pad | undefined, over: (on: boolean) => void) {
  return {
    onDragOver: (event: DragEvent) => {
      if (!KINDS.some((kind) => event.dataTransfer.types.includes(kind))) return;
      event.preventDefault();
      over(true);
    },
    onDragLeave: () => over(false),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      over(false);
      const given = (kind: string) => event.dataTransfer.getData(`text/${kind}`);
      if (given("favourite")) fromShelf(JSON.parse(given("favourite")) as Favourite, index);
      if (given("pad") && Number(given("pad")) !== index) movePad(Number(given("pad")), index, event);
      if (given("cut")) putSlice(given("cut"), index, event.shiftKey && Boolean(pad));
      if (given("find")) putFind(given("find"), index);
    },
  };
}

function movePad(from: number, to: number, event: DragEvent): void {
  void edit(
    event.altKey || event.ctrlKey ? { type: "copy_pad", pad: from, to: [to] } : { type: "move_pad", pad: from, to },
  );
}

function putSlice(what: string, index: number, layer: boolean): void {
  const [source, cut] = what.split("/") as [string, string];
  void edit({ type: "slices_to_pads", source, cuts: [cut], pads: [index], layer });
}

/** A whole find. A loop of whole bars goes along with the pocket's tempo. */
function putFind(id: string, index: number): void {
  const find = usePocket.getState().open?.pocket.sources[id];
  if (!find) return;
  const stretches = [{ start: 0, end: find.frames, name: find.name }];
  void edit({ type: "stretches_to_pads", source: id, stretches, first: index, fit: true });
}
