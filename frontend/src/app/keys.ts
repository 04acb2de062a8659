/** The computer keyboard: pads by position, the rest by letter. One table, from which the help sheet is drawn too. */
import { voices } from "../audio/voices";
import { newGesture } from "../design/NumberField";
import { PAD_CODES, PAGE } from "../pads/keys";
import { pressPad, releasePad } from "../pads/press";
import { tapPocket } from "./tapping";
import * as actions from "./actions";
import { chosenIntoTray, stepLike, stepPad } from "./chopping";
import { cutNow, leaveCutting, useCutting } from "./cutting";
import * as found from "./found";
import { hadPanel, isNumber, isReached, isText } from "./focus";
import { redo, undo } from "./edits";
import { usePocket } from "./pocket";
import { toggleSong } from "./playing";
import { nudgeSelection } from "./selecting";
import { heardNow, lasting, stopAll } from "./sounding";
import { allNotesUp, noteDown, noteUp, toggleNotes } from "../pads/notes";
import { toggleTaking } from "./taking";
import { aboutStation, named, type Station, STATIONS } from "./stations";
import { useView } from "./view";
import { stepCursor, toggleMark } from "../wave/byKeys";

interface Binding {
  keys: string;
  does: string;
  match: (event: KeyboardEvent) => boolean;
  run: (event: KeyboardEvent) => unknown;
  where?: Station[];
}

const plain = (event: KeyboardEvent) => !event.ctrlKey && !event.metaKey && !event.altKey;
const key = (name: string) => (event: KeyboardEvent) => plain(event) && event.key.toLowerCase() === name.toLowerCase();
const command = (name: string, shift: boolean) => (event: KeyboardEvent) =>
  (event.ctrlKey || event.metaKey) && event.shiftKey === shift && event.key.toLowerCase() === name;
const wave: Station[] = STATIONS.filter((one) => one.wave).map((one) => one.key);
const look = (change: Parameters<ReturnType<typeof useView.getState>["look"]>[0]) => useView.getState().look(change);
const page = (by: number) => {
  const used = Object.keys(usePocket.getState().open?.pocket.pads ?? {}).map(Number);
  const last = Math.floor(Math.max(-1, ...used) / PAGE) + 1;
  look({ page: Math.min(last, Math.max(0, useView.getState().page + by)) });
};

const PLAYS = ["find", "pattern", "song"] as const;
const toggles = { find: actions.toggleSource, pattern: actions.togglePattern, song: toggleSong };

const nudging = { gesture: "", until: 0 };

function nudge(event: KeyboardEvent): void {
  const size = event.altKey ? 1 : Math.round((event.shiftKey ? 0.01 : 0.001) * 44100);
  const by = event.key === "ArrowLeft" ? -size : size;
  const edge = event.ctrlKey || event.metaKey ? "end" : "start";
  const source = actions.currentSource();
  // The selection, unless a slice is chosen: each lets go of the other.
  if (source && !useView.getState().cuts.length) return nudgeSelection(source, edge, by);
  const now = performance.now();
  if (now > nudging.until) nudging.gesture = newGesture();
  nudging.until = now + 800;
  actions.nudgeCut(by, nudging.gesture, edge);
}

export const BINDINGS: Binding[] = [
  {
    keys: "Space",
    does: `Stop what plays; else play: ${PLAYS.map((what) => `the ${what} in ${named((one) => one.plays === what)}`).join(", ")}`,
    match: (e) => plain(e) && e.code === "Space" && !e.shiftKey,
    run: (e) => e.repeat || playOrStop(),
  },
  {
    keys: "Shift Space",
    does: "Play or stop the pattern, anywhere",
    match: (e) => e.code === "Space" && e.shiftKey,
    run: (e) => e.repeat || actions.togglePattern(),
  },
  { keys: "Esc", does: "Silence; once more: let go of what is tried or chosen", match: key("Escape"), run: letGoOfAll },
  { keys: "Ctrl Z", does: "Undo", match: command("z", false), run: undo },
  { keys: "Ctrl Shift Z", does: "Redo", match: (e) => command("z", true)(e) || command("y", false)(e), run: redo },
  {
    keys: "Page up, Page down",
    does: "Page of pads",
    match: (e) => key("PageUp")(e) || key("PageDown")(e),
    run: (e) => page(e.key === "PageUp" ? -1 : 1),
  },
  {
    keys: `F1 to F${STATIONS.length}`,
    does: STATIONS.map(({ label }) => label).join(", "),
    match: (e) => /^F[1-9]$/.test(e.key) && Number(e.key[1]) <= STATIONS.length,
    run: (e) => look({ station: STATIONS[Number(e.key[1]) - 1]?.key }),
  },
  {
    keys: ", .",
    does: "Slice before, slice after: choose and play",
    match: (e) => plain(e) && (e.key === "," || e.key === "."),
    run: (e) => actions.stepSlice(e.key === "," ? -1 : 1),
    where: ["chop"],
  },
  {
    keys: "Enter",
    does: "Play the chosen slice",
    match: (e) => key("Enter")(e) && !e.shiftKey,
    run: () => replay(),
    where: ["chop"],
  },
  {
    keys: "← →",
    does: "Move the start of the selection, or of the chosen slice, by 1 ms; with Ctrl its end; with Shift 10 ms, with Alt one sample",
    match: (e) => e.key === "ArrowLeft" || e.key === "ArrowRight",
    run: nudge,
    where: wave,
  },
  { keys: "N", does: "New cut at the playhead or cursor", match: key("n"), run: actions.cutHere, where: ["chop"] },
  {
    keys: "Delete",
    does: "Take the chosen cuts away",
    match: (e) => key("Delete")(e) || key("Backspace")(e),
    run: actions.deleteCuts,
    where: ["chop"],
  },
  {
    keys: "Shift Enter",
    does: "Cut as shown",
    match: (e) => e.shiftKey && e.key === "Enter",
    run: () => void cutNow(),
    where: ["chop"],
  },
  { keys: "T", does: "Set the chosen slices aside in the tray", match: key("t"), run: chosenIntoTray, where: ["chop"] },
  {
    keys: "J",
    does: "Cut live with the pads, on or off",
    match: key("j"),
    run: () => look({ live: !useView.getState().live }),
    where: ["chop"],
  },
  {
    keys: "U",
    does: "Let the chosen pad play what sounds like it; with Shift back again",
    match: (e) => plain(e) && e.key.toLowerCase() === "u",
    run: (e) => chosenPad((pad) => void stepLike(pad, e.shiftKey ? -1 : 1)),
  },
  {
    keys: "Y",
    does: "Let the chosen pad play the next slice of its find; with Shift the one before",
    match: (e) => plain(e) && e.key.toLowerCase() === "y",
    run: (e) => chosenPad((pad) => stepPad(pad, e.shiftKey ? -1 : 1)),
  },
  {
    keys: "P",
    does: "Put the chosen slices on pads",
    match: key("p"),
    run: () => void actions.slicesToPads(false),
    where: ["chop"],
  },
  {
    keys: ", .",
    does: "Loop or hit before, after, among those found: choose and play",
    match: (e) => plain(e) && (e.key === "," || e.key === "."),
    run: (e) => found.step(e.key === "," ? -1 : 1),
    where: ["listen"],
  },
  { keys: "Enter", does: "Play the loop or hit again", match: key("Enter"), run: found.replay, where: ["listen"] },
  { keys: "P", does: "Put the loop, hit or selection on a pad", match: key("p"), run: found.toPad, where: ["listen"] },
  {
    keys: "N",
    does: "Cut the loop, hit or selection out, for Chop",
    match: key("n"),
    run: found.cutOut,
    where: ["listen"],
  },
  {
    keys: "G",
    does: "Click on the beats, on or off",
    match: key("g"),
    run: () => look({ click: !useView.getState().click }),
    where: ["listen"],
  },
  {
    keys: "T",
    does: "Tap the tempo while the find plays",
    match: key("t"),
    run: () => void actions.tap(),
    where: ["listen"],
  },
  {
    keys: "T",
    does: "Tap the tempo of the pocket",
    match: key("t"),
    run: (event) => tapPocket(event.timeStamp),
    where: ["rhythm", "song"],
  },
  {
    keys: "B",
    does: "Bar one at the cursor or the selection",
    match: key("b"),
    run: actions.barOneHere,
    where: ["listen"],
  },
  {
    keys: "[ ]",
    does: "Cursor to the beat before, after; with Shift a bar. From a mark on it selects",
    match: (e) => plain(e) && (e.code === "BracketLeft" || e.code === "BracketRight"),
    run: (e) => stepCursor(e.code === "BracketLeft" ? -1 : 1, e.shiftKey),
    where: wave,
  },
  { keys: "M", does: "Mark the cursor, or no more", match: key("m"), run: toggleMark, where: wave },
  {
    keys: "L",
    does: "Loop the selection on or off",
    match: key("l"),
    run: () => actions.setLooping(!useView.getState().loopSelection),
    where: wave,
  },
  {
    keys: "+ −",
    does: "Closer, wider",
    match: (e) => plain(e) && ["+", "=", "-"].includes(e.key),
    run: (e) => actions.zoom(e.key === "-" ? 1.6 : 1 / 1.6),
    where: wave,
  },
  {
    keys: "0",
    does: "Show the selection; from there, or without one, all of it",
    match: key("0"),
    run: actions.zoomToSelection,
    where: wave,
  },
  { keys: "I", does: "The keys play notes of the chosen pad, or pads again", match: key("i"), run: toggleNotes },
  {
    keys: "F9",
    does: "Record what is played on the pads into the pattern, or stop",
    match: key("F9"),
    run: (e) => e.repeat || toggleTaking(),
  },
  { keys: "?", does: "This sheet", match: (e) => e.key === "?", run: () => look({ help: !useView.getState().help }) },
];

/** What sounds is stopped first; then what is being tried is dropped, then what is chosen is let go of. */
function letGoOfAll(): void {
  const sounded = heardNow() !== null || voices.sounds();
  stopAll();
  if (sounded) return;
  if (useCutting.getState().trying) return leaveCutting();
  look({ cuts: [], selection: null });
}

/** Stop what goes on; when nothing does, play what the station is about. */
function playOrStop(): void {
  if (lasting()) stopAll();
  else toggles[aboutStation(useView.getState().station).plays]();
}

function chosenPad(run: (pad: number) => void): void {
  const pad = useView.getState().pads[0];
  if (pad !== undefined && usePocket.getState().open?.pocket.pads[pad]) run(pad);
}

function replay(): void {
  const source = actions.currentSource();
  const cut = useView.getState().cuts.at(-1);
  if (source && cut) actions.playSlice(source, cut);
}

/** Whether keys belong to what has the focus: a field being typed in, an open menu, a control that Tab led to. */
function taken(event: KeyboardEvent): boolean {
  const at = event.target as HTMLElement | null;
  if (!at?.closest) return false;
  if (isText(at) && !(isNumber(at) && event.code === "Space")) return true;
  if (at.closest("[role=menu]")) return true;
  // An open panel closes first; what plays goes on.
  if (event.key === "Escape" && hadPanel()) return true;
  const arrows = event.key.startsWith("Arrow") || ["Home", "End", "PageUp", "PageDown"].includes(event.key);
  const own = Boolean(at.closest("[data-own-arrows]"));
  if (arrows)
    return (
      own ||
      (isReached(at) &&
        Boolean(at.closest("[role=slider], [role=tablist], [role=radiogroup], [role=group], [role=dialog]")))
    );
  const presses = event.key === "Enter" || (event.key === " " && !event.shiftKey);
  if (event.key === "Enter" && own) return true;
  return presses && isReached(at) && Boolean(at.closest("button, a, [role=switch], [role=option]"));
}

/** Listen for as long as the page lives; returns how to stop. */
export function listenToKeys(): () => void {
  const held = new Map<string, number>();

  function onKeyDown(event: KeyboardEvent) {
    if (taken(event)) return;
    if (plain(event) && noteDown(event)) return event.preventDefault();
    const place = PAD_CODES.indexOf(event.code);
    if (place >= 0 && plain(event)) {
      event.preventDefault();
      if (event.repeat || held.has(event.code)) return;
      const pad = useView.getState().page * PAGE + place;
      held.set(event.code, pad);
      pressPad(pad, 127, event.timeStamp);
      if (usePocket.getState().open?.pocket.pads[pad]) look({ pads: [pad] });
      return;
    }
    const station = useView.getState().station;
    const binding = BINDINGS.find((b) => b.match(event) && (!b.where || b.where.includes(station)));
    if (!binding) return;
    event.preventDefault();
    binding.run(event);
  }
  function onKeyUp(event: KeyboardEvent) {
    noteUp(event.code);
    const pad = held.get(event.code);
    if (pad === undefined) return;
    held.delete(event.code);
    releasePad(pad);
  }
  function letGo() {
    allNotesUp();
    for (const pad of held.values()) releasePad(pad);
    held.clear();
  }
  window.addEventListener("keydown", onKeyDown);
  window.addEventListener("keyup", onKeyUp);
  window.addEventListener("blur", letGo);
  return () => {
    window.removeEventListener("keydown", onKeyDown);
    window.removeEventListener("keyup", onKeyUp);
    window.removeEventListener("blur", letGo);
  };
}
