/**
 * A pad under a hand that moves its settings: its voice alone is rendered, many times a second, and sounds from where the one
 * before it was. The edits that write it down come after, a few times a second.
 */
import { pcm } from "../api/client";
import { useNotes } from "./instrument";
import { slot, voices } from "./voices";

export type Changes = Record<string, number | boolean | string | null>;

interface Wish {
  pocket: string;
  pad: number;
  changes: Changes;
}

let next: Wish | null = null;
let busy = false;
let count = 0;

/** Sound a pad so as soon as may be; what was asked for before and is not begun is left out. Returns the number of the wish. */
export function tryOut(pocket: string, pad: number, changes: Changes): number {
  next = { pocket, pad, changes };
  void pump();
  return ++count;
}

/** The edit of a wish is written down: unless the hand moved on, the pad sounds by itself again. */
export function written(wish: number): void {
  if (wish !== count) return;
  next = null;
  voices.takeBack();
}

async function pump(): Promise<void> {
  if (busy) return;
  busy = true;
  try {
    for (let wish = next; wish; wish = next) {
      next = null;
      // A note that is held is what one listens to.
      const note = [...useNotes.getState().down].at(-1);
      const [left, right] = await pcm(`/api/pockets/${wish.pocket}/pads/${wish.pad}/voice`, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ sound: wish.changes, note: note ?? 0, through: note === undefined }),
      });
      if (note === undefined) voices.lend(wish.pad, wish.pad, left, right, voices.hasBus(wish.pad));
      else voices.lend(slot(note), wish.pad, left, right, false);
    }
  } catch {
    // The edit says what is wrong with it.
  } finally {
    busy = false;
  }
}
