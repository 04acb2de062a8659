/** The stems under their record, heard together as they are set, and against the record. */
import { useEffect, useRef } from "react";

import { api, ask } from "../../api/client";
import type { Source } from "../../api/types";
import { noteJob } from "../../app/events";
import { saveFinds } from "../../app/files";
import { usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { useView } from "../../app/view";
import { heardPlace, useHeard } from "../../audio/heard";
import { previewPlayer, usePreview } from "../../audio/preview";
import { Button } from "../../design/Button";
import { Playhead } from "../../design/Playhead";
import { Toggle } from "../../design/Toggle";
import { MiniWave } from "../../wave/MiniWave";
import { useWidth } from "../../wave/useCanvas";
import { carryOver, compared, hear, heardStems, partOf, useBalance } from "./balance";
import { StemStrip } from "./StemStrip";

const MOST_HEARD_S = 60;
const COMPARED = [
  ["balance", "As set", "The stems as they are set"],
  ["bypass", "Bypass", "The same stems with nothing set on them"],
  ["record", "The record", "The record itself, untouched"],
] as const;

export function Together({ root, members, rate }: { root: Source; members: Source[]; rate: number }) {
  const open = usePocket((s) => s.open);
  const { stems, compare, even } = useBalance();
  const heard = useHeard(root.audio);
  const ours = usePreview((s) => s.preview?.url.includes("/balanced/") ?? false);
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box);
  // Answers are kept by their address: which sounds it is of belongs to it.
  const of = members.map(({ audio }) => audio.slice(0, 8)).join("");
  const asked = `stems=${encodeURIComponent(JSON.stringify(compared(root, members, { stems, compare })))}&of=${of}&even=${even}`;
  const before = useRef(members);
  useEffect(() => {
    carryOver(before.current, members);
    before.current = members;
  }, [members]);

  async function listen() {
    const { selection, cursor } = useView.getState();
    const mine = selection?.source === root.id && selection.end > selection.start ? selection : null;
    const start = Math.round(mine?.start ?? Math.min(cursor, Math.max(0, root.frames - rate)));
    const end = Math.min(Math.round(mine?.end ?? root.frames), start + MOST_HEARD_S * rate);
    await hear(root, start, end, `/api/pockets/${open?.id}/sources/${root.id}/balanced/${start}/${end}?${asked}`);
  }
  // What is heard follows the sliders, a moment after the hand rests.
  useEffect(() => {
    if (!ours) return;
    const timer = window.setTimeout(() => void listen(), 120);
    return () => window.clearTimeout(timer);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [asked]);

  async function print() {
    if (!open) return;
    const wanted = heardStems(members, stems);
    const names = members.filter((one) => wanted.some(({ source }) => source === one.id)).map(partOf);
    try {
      noteJob(
        await ask(
          api.POST("/api/pockets/{pocket}/sources/{source}/balance", {
            params: { path: { pocket: open.id, source: root.id } },
            body: { name: `${root.name.slice(0, 50)}, ${names.join(" and ")}`.slice(0, 80), stems: wanted },
          }),
        ),
      );
    } catch (error) {
      toast({ title: "Nothing was printed", text: (error as Error).message, tone: "error" });
    }
  }
  const at = () => (heard || ours ? (heardPlace() / root.frames) * width : null);
  const less = typeof compare === "object" ? members.find((one) => one.id === compare.without) : undefined;
  return (
    <>
      <div className="mb-1.5 flex items-center gap-1.5 text-[12px]">
        <Button
          tone={ours ? "play" : "solid"}
          keys={ours ? "Esc" : undefined}
          hint="The stems together, from the cursor or the selection, round and round"
          onClick={() => (ours ? previewPlayer.stop() : void listen())}
        >
          {ours ? "■ Stop" : "▶ Play stems"}
        </Button>
        {COMPARED.map(([what, label, hint]) => (
          <Toggle key={what} on={compare === what} hint={hint} onChange={() => useBalance.setState({ compare: what })}>
            {label}
          </Toggle>
        ))}
        {less ? (
          <Toggle
            on
            hint="What is left of the record without this stem"
            onChange={() => useBalance.setState({ compare: "balance" })}
          >
            {`Without ${partOf(less)}`}
          </Toggle>
        ) : null}
        <span className="mx-1 h-4 w-px bg-rule" />
        <Toggle
          on={even}
          hint="All of these as loud as the record, so that the louder one does not win"
          onChange={(on) => useBalance.setState({ even: on })}
        >
          Same loudness
        </Toggle>
        <span className="grow" />
        <Button hint="All stems as 24-bit files, in a ZIP" onClick={() => void saveFinds(members.map(({ id }) => id))}>
          Save all
        </Button>
        <Button hint="What is heard of the stems, as one new find" onClick={() => void print()}>
          Print this balance
        </Button>
      </div>
      <div className="thin-scroll min-h-0 grow overflow-auto">
        <div className="grid grid-cols-[150px_minmax(0,1fr)] items-center border-b border-ink pb-1">
          <span className="title truncate text-[13.5px]">{root.name}</span>
          <div
            ref={box}
            className="relative cursor-text"
            onPointerDown={(event) => {
              const rect = event.currentTarget.getBoundingClientRect();
              const place = ((event.clientX - rect.left) / rect.width) * root.frames;
              useView.getState().look({ cursor: Math.round(Math.max(0, place)), selection: null });
              if (ours) void listen();
            }}
          >
            <MiniWave hash={root.audio} frames={root.frames} start={0} end={root.frames} height={52} />
            <Playhead moving={ours || heard} at={at} />
          </div>
        </div>
        {members.map((stem) => (
          <StemStrip
            key={stem.id}
            stem={stem}
            root={root}
            members={members}
            at={at}
            moving={ours || heard}
            rate={rate}
          />
        ))}
      </div>
    </>
  );
}
