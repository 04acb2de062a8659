/** The top bar: what plays, how fast, how loud, and the way back. */
import { useEffect, useRef } from "react";

import { togglePattern } from "../app/actions";
import { useParameter } from "../app/about";
import { edit, redo, undo } from "../app/edits";
import { songBeat, toggleSong } from "../app/playing";
import { usePocket } from "../app/pocket";
import { type Heard, stopAll, useHeardNow } from "../app/sounding";
import { useView } from "../app/view";
import { heardPlace } from "../audio/heard";
import { loopPlayer, useLoop } from "../audio/loop";
import { Button } from "../design/Button";
import { clock, position } from "../design/format";
import { Hint } from "../design/Hint";
import { NumberField } from "../design/NumberField";
import { Export } from "./Export";
import { KeyMenu } from "./KeyMenu";
import { Meter } from "./Meter";
import { Pockets } from "./Pockets";
import { Recording } from "./Recording";
import { TempoMenu } from "./TempoMenu";

export function Transport() {
  const open = usePocket((s) => s.open);
  const heard = useHeardNow();
  const ready = useLoop((s) => s.ready);
  const inSong = useView((s) => s.station === "song");
  const patternId = useView((s) => s.pattern);
  const tempo = useParameter("pocket", "tempo");
  const level = useParameter("pocket", "level");
  const swing = useParameter("pattern", "swing");
  if (!open) return null;
  const pocket = open.pocket;
  const pattern = patternId ? pocket.patterns[patternId] : undefined;

  return (
    <header className="flex items-center gap-[clamp(6px,1.25vw,16px)] border-b-[1.5px] border-ink bg-card px-4">
      <h1 className="title text-[19px] whitespace-nowrap">Grain Pocket</h1>
      <Pockets />
      <span className="w-2" />
      <Hint
        text={heard ? "Stop what sounds" : inSong ? "Play the song" : "Play the pattern"}
        keys={heard ? "Esc" : inSong ? "Space" : "Shift Space"}
      >
        <button
          type="button"
          aria-label={
            heard
              ? `Stop ${heard.kind === "pattern" ? "the pattern" : heard.name}`
              : inSong
                ? "Play the song"
                : "Play the pattern"
          }
          aria-disabled={!heard && !inSong && !ready && !pattern}
          data-testid="play"
          onClick={heard ? stopAll : inSong ? toggleSong : togglePattern}
          className={`grid h-8 w-16 place-items-center rounded-[4px] text-[14px] text-card ${heard ? "bg-now" : "bg-ink hover:bg-ink2"} ${heard || ready || pattern || inSong ? "" : "opacity-45"}`}
        >
          {heard ? "■" : "▶"}
        </button>
      </Hint>
      <Sounding heard={heard} beatsPerBar={pattern?.beats_per_bar ?? 4} rate={pocket.rate} />
      <Value label="tempo">
        <NumberField
          className="w-[58px]"
          parameter={tempo}
          value={pocket.tempo}
          showUnit={false}
          onChange={(value, gesture) => void edit({ type: "set_pocket", tempo: value }, gesture)}
        />
        <TempoMenu />
      </Value>
      <Value label="key">
        <KeyMenu value={pocket.key} />
      </Value>
      <Value label="swing">
        {pattern ? (
          <NumberField
            className="w-[50px]"
            parameter={swing}
            value={pattern.swing}
            onChange={(value, gesture) =>
              void edit({ type: "set_pattern", pattern: pattern.id, swing: value }, gesture)
            }
          />
        ) : (
          "–"
        )}
      </Value>
      <Value label="level">
        <NumberField
          className="w-[72px]"
          parameter={level}
          value={pocket.level}
          onChange={(value, gesture) => void edit({ type: "set_pocket", level: value }, gesture)}
        />
      </Value>
      <span className="grow" />
      <Recording />
      <Meter />
      <div className="flex gap-1.5">
        <Button
          disabled={!open.undo}
          hint={open.undo ? `Take back: ${open.undo}` : "Nothing to undo"}
          keys="Ctrl Z"
          onClick={undo}
        >
          Undo
        </Button>
        <Button
          disabled={!open.redo}
          hint={open.redo ? `Do again: ${open.redo}` : "Nothing to redo"}
          keys="Ctrl Shift Z"
          onClick={redo}
        >
          Redo
        </Button>
      </div>
      <Export />
      <Button
        tone="quiet"
        hint="Keys and hands"
        keys="?"
        aria-label="Help: keys and hands"
        onClick={() => useView.getState().look({ help: true })}
      >
        ?
      </Button>
    </header>
  );
}

function Value({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="flex flex-col leading-[1.1]">
      <span className="text-[11px] text-ink2">{label}</span>
      <span className="text-[16px] font-semibold whitespace-nowrap">{children}</span>
    </div>
  );
}

/** What sounds and how far it is, wherever in the house it was started. */
function Sounding({ heard, beatsPerBar, rate }: { heard: Heard | null; beatsPerBar: number; rate: number }) {
  const name = heard ? (heard.kind === "slice" ? `slice of ${heard.name}` : heard.name) : "position";
  return (
    <div className="flex w-[118px] flex-col leading-[1.1]">
      <span
        data-testid="sounding"
        title={heard ? name : undefined}
        className={`truncate text-[11px] ${heard ? "font-semibold text-now" : "text-ink2"}`}
      >
        {name}
      </span>
      <span className="text-[16px] font-semibold whitespace-nowrap">
        <Position kind={heard?.kind ?? null} beatsPerBar={beatsPerBar} rate={rate} />
      </span>
    </div>
  );
}

/** Written straight into the page, many times a second: React need not know. */
function Position({ kind, beatsPerBar, rate }: { kind: Heard["kind"] | null; beatsPerBar: number; rate: number }) {
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const show = () => {
      const loop = loopPlayer.loop();
      const beat =
        kind === "song"
          ? songBeat()
          : kind === "pattern" && loop
            ? (loopPlayer.place() * loop.tempo) / 60 / loop.rate
            : 0;
      const now = kind === "find" ? clock(heardPlace() / rate) : position(beat, beatsPerBar);
      if (text.current && text.current.textContent !== now) text.current.textContent = now;
    };
    show();
    if (kind !== "pattern" && kind !== "song" && kind !== "find") return;
    const timer = window.setInterval(show, 40);
    return () => window.clearInterval(timer);
  }, [kind, beatsPerBar, rate]);
  return (
    <span
      ref={text}
      className="inline-block h-[1.3em] w-[76px] overflow-hidden will-change-transform [contain:strict]"
      data-testid="position"
    />
  );
}
