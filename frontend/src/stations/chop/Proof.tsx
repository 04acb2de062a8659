/** Repeats of a stretch, and the null test: what is left of a pattern when the record is taken away. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../../api/client";
import type { Source } from "../../api/types";
import { useParameter } from "../../app/about";
import { ontoPads, showNewest } from "../../app/actions";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { useView } from "../../app/view";
import { loopPlayer } from "../../audio/loop";
import { songPlayer } from "../../audio/song";
import { previewPlayer } from "../../audio/preview";
import { tapePlayer } from "../../audio/tape";
import { Button } from "../../design/Button";
import { fixed, position } from "../../design/format";
import { NumberField } from "../../design/NumberField";
import { useLines } from "../../wave/lines";
import { beatsAt } from "../../wave/marks";
import { revealing, whole } from "../../wave/viewport";

const NULLED_DB = -60;

export function Proof({ source, rate }: { source: Source; rate: number }) {
  return (
    <div className="grid min-h-0 grow grid-cols-2 gap-5 text-[12px]">
      <Repeats source={source} rate={rate} />
      <NullTest />
    </div>
  );
}

function Repeats({ source, rate }: { source: Source; rate: number }) {
  const selection = useView((s) =>
    s.selection?.source === source.id && s.selection.end > s.selection.start ? s.selection : null,
  );
  const [asked, setAsked] = useState<{ start: number; end: number } | null>(null);
  const [times, setTimes] = useState(4);
  const lines = useLines(source);
  const { data, isFetching, error } = useQuery({
    queryKey: ["repeats", source.audio, asked],
    queryFn: () =>
      ask(
        api.GET("/api/audio/{audio}/repeats/{start}/{end}", {
          params: { path: { audio: source.audio, start: asked?.start ?? 0, end: asked?.end ?? 1 } },
        }),
      ),
    enabled: asked !== null,
    staleTime: Infinity,
    retry: false,
  });
  const beats =
    selection && source.grid
      ? Math.max(1, Math.round(((selection.end - selection.start) / rate / 60) * source.grid.bpm))
      : 0;
  const parameter = {
    name: "times",
    label: "Times",
    unit: "×",
    low: 1,
    high: 64,
    default: 4,
    step: 1,
    digits: 0,
    help: "How often it plays",
  };
  function show(at: number) {
    if (!asked) return;
    const end = at + asked.end - asked.start;
    useView.getState().look({ selection: { source: source.id, start: at, end }, cursor: at });
    useView
      .getState()
      .setWindow(
        source.id,
        revealing(useView.getState().windows[source.id] ?? whole(source.frames), at, end, source.frames),
      );
  }
  return (
    <section aria-label="Repeats" className="flex min-h-0 flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-1.5">
        <Button
          disabled={!selection || isFetching}
          hint="Where the record plays the selected bars again, to the sample"
          onClick={() => selection && setAsked({ start: Math.round(selection.start), end: Math.round(selection.end) })}
        >
          {isFetching ? "Looking ..." : "Find repeats"}
        </Button>
        <Button
          disabled={!beats}
          hint="The selection on a pad, and a pattern that plays it so many times without a gap"
          onClick={() =>
            selection &&
            void ontoPads(
              {
                type: "repeat_bars",
                source: source.id,
                start: Math.round(selection.start),
                end: Math.round(selection.end),
                beats,
                times,
              },
              "chop",
            ).then((made) => (made ? showNewest() : undefined))
          }
        >
          Repeat it
        </Button>
        <NumberField parameter={parameter} value={times} onChange={setTimes} />
        <span className="text-ink2">{beats ? `${beats} beats` : "select bars on the wave"}</span>
      </div>
      {error ? <p role="alert">{(error as Error).message}</p> : null}
      {data && !data.repeats.length ? <p className="text-ink2">It is not played again in this find.</p> : null}
      <div role="listbox" aria-label="Repeats found" tabIndex={0} className="thin-scroll min-h-0 grow overflow-auto">
        {data?.repeats.map((one) => (
          <div
            key={one.at}
            role="option"
            aria-selected={selection?.start === one.at}
            className="flex cursor-pointer gap-3 border-b border-rule px-1.5 py-[3px] hover:bg-well"
            onClick={() => show(one.at)}
          >
            <span className="w-24 tabular-nums">
              {lines ? position(beatsAt(lines, one.at), lines.beatsPerBar) : `${(one.at / rate).toFixed(3)} s`}
            </span>
            <span className="grow">{one.same ? "the same" : "much alike"}</span>
            <span className="tabular-nums">{fixed(one.residue_db, 1)} dB left</span>
          </div>
        ))}
      </div>
    </section>
  );
}

/** The fades of every chop that begins or ends in the open. */
function Edges() {
  const pocket = usePocket((s) => s.open?.pocket);
  const before = useParameter("pocket", "fade_in_edge");
  const after = useParameter("pocket", "fade_out_edge");
  if (!pocket) return null;
  return (
    <div
      className="flex items-baseline gap-2"
      title="Where two chops follow each other as on the record there is no fade: the record simply goes on"
    >
      <span className="text-ink2">Fades of chops</span>
      <NumberField
        parameter={before}
        value={pocket.fade_in_edge}
        onChange={(value, gesture) => void edit({ type: "set_pocket", fade_in_edge: value }, gesture)}
      />
      <span className="text-ink2">in,</span>
      <NumberField
        parameter={after}
        value={pocket.fade_out_edge}
        onChange={(value, gesture) => void edit({ type: "set_pocket", fade_out_edge: value }, gesture)}
      />
      <span className="text-ink2">out</span>
    </div>
  );
}

function NullTest() {
  const open = usePocket((s) => s.open);
  const id = useView((s) => s.pattern);
  const pattern = id ? open?.pocket.patterns[id] : undefined;
  const pocket = open?.id ?? "";
  const { data, error } = useQuery({
    queryKey: ["null", pocket, open?.version, id],
    queryFn: () =>
      ask(api.GET("/api/pockets/{pocket}/null/{pattern}", { params: { path: { pocket, pattern: id ?? "" } } })),
    enabled: Boolean(pattern?.played),
    staleTime: Infinity,
    retry: false,
  });
  const source = data && open?.pocket.sources[data.source];
  function hear() {
    if (!data || !source) return;
    loopPlayer.stop();
    songPlayer.stop();
    tapePlayer.stop();
    const url = `/api/pockets/${pocket}/null/${id ?? ""}/sound?version=${open?.version ?? 0}`;
    previewPlayer
      .play(source.audio, data.start, data.start + data.frames, url, 0, false)
      .catch((problem: Error) => toast({ title: "That cannot be played", text: problem.message, tone: "error" }));
  }
  return (
    <section aria-label="Null test" className="flex min-h-0 flex-col gap-1.5">
      <div className="flex items-center gap-1.5">
        <h3 className="title min-w-0 truncate text-[13px]">{pattern ? pattern.name : "No pattern"}</h3>
        <span className="grow" />
        <Button disabled={!data} hint="The pattern less the record, as it is left" onClick={hear}>
          ▶ Hear what is left
        </Button>
      </div>
      <Edges />
      {!pattern?.played ? (
        <p className="text-ink2">
          Choose a pattern that was taken from a find: Original rhythm, Split by drum or Repeat it make one. It is then
          compared with the record, bar by bar.
        </p>
      ) : error ? (
        <p role="alert">{(error as Error).message}</p>
      ) : data ? (
        <>
          <p role="status" data-testid="null-total">
            {data.total <= NULLED_DB ? "It cancels: " : "It does not cancel: "}
            <b>{data.total <= -120 ? "nothing at all" : `${fixed(data.total, 1)} dB`}</b> is left beside {source?.name}.
          </p>
          <ol
            className="thin-scroll flex min-h-0 flex-wrap content-start gap-1 overflow-auto"
            aria-label="What is left of each bar"
          >
            {data.bars.map((db, i) => (
              <li key={i} className="w-[76px] rounded-[2px] border border-rule bg-card px-1.5 py-0.5">
                <span className="text-ink2">bar {i + 1}</span>
                <span className="block tabular-nums">{db <= -120 ? "nothing" : `${fixed(db, 1)} dB`}</span>
              </li>
            ))}
          </ol>
        </>
      ) : (
        <p className="text-ink2">Comparing ...</p>
      )}
    </section>
  );
}
