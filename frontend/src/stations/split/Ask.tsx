/** What is to be taken apart, with what, how well, and about how long it takes; and the first seconds while it goes on. */
import { useEffect, useRef, useState } from "react";

import { api, ask } from "../../api/client";
import type { Source } from "../../api/types";
import { noteJob, useJobs } from "../../app/events";
import { usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { Toggle } from "../../design/Toggle";
import { hear, useBalance } from "./balance";
import { useEngines, useModels } from "./engines";

const PREVIEW_S = 12;
const OPEN = ["queued", "running"];

export function Ask({ source, rate }: { source: Source; rate: number }) {
  const found = useEngines();
  const models = useModels();
  const open = usePocket((s) => s.open);
  const selection = useView((s) => s.selection);
  const job = useJobs((s) =>
    Object.values(s.jobs).find(
      (one) => one.kind === "split" && one.title === `Stems of ${source.name}` && OPEN.includes(one.state),
    ),
  );
  const { engine: name, quality, without } = useBalance();
  const setName = (one: string) => useBalance.setState({ engine: one });
  const setQuality = (one: string) => useBalance.setState({ quality: one });
  const setWithout = (some: string[]) => useBalance.setState({ without: some });
  const file = useRef<HTMLInputElement>(null);
  const engines = found?.engines;
  const engine = engines?.find((one) => one.name === name) ?? engines?.[0];
  if (!engine || !open) return null;
  const how = engine.qualities.find((one) => one.name === quality) ?? middle(engine.qualities);
  const parts = engine.parts.filter((part) => !without.includes(part));
  const mine = selection?.source === source.id && selection.end > selection.start ? selection : null;
  const frames = mine ? mine.end - mine.start : source.frames;
  const wait = (speed: number) => Math.max(1, Math.round(frames / rate / speed));

  async function start() {
    if (!open) return;
    try {
      noteJob(
        await ask(
          api.POST("/api/pockets/{pocket}/sources/{source}/split", {
            params: { path: { pocket: open.id, source: source.id } },
            body: {
              engine: engine?.name ?? "",
              quality: how?.name ?? "",
              parts,
              start: mine ? Math.round(mine.start) : null,
              end: mine ? Math.round(mine.end) : null,
            },
          }),
        ),
      );
    } catch (error) {
      toast({ title: "Nothing was taken apart", text: (error as Error).message, tone: "error" });
    }
  }
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
        <Button
          tone="go"
          disabled={!parts.length || Boolean(job)}
          hint="It can be cancelled while it goes on; then nothing of it remains"
          onClick={() => void start()}
        >
          {mine ? "Take the selection apart" : "Take apart"}
        </Button>
        <span role="group" aria-label="Parts" className="flex gap-1">
          {engine.parts.map((part) => (
            <Toggle
              key={part}
              on={!without.includes(part)}
              hint={
                part === engine.parts.at(-1)
                  ? "All that the others leave"
                  : `Left out, it stays in ${engine.parts.at(-1)}`
              }
              onChange={(on) => setWithout(on ? without.filter((one) => one !== part) : [...without, part])}
            >
              {part}
            </Toggle>
          ))}
        </span>
        <Menu
          label="Engine"
          trigger={<Button>{engine.label} ▾</Button>}
          items={[
            ...(engines ?? []).map((one) => ({
              label: one.label,
              checked: one === engine,
              onSelect: () => setName(one.name),
            })),
            null,
            { label: "Add a model of my own…", onSelect: () => file.current?.click() },
            ...(found?.misfits ?? []).map((one) => ({
              label: `${one.name} cannot be used…`,
              onSelect: () => toast({ title: `${one.name} cannot be used`, text: one.problem, tone: "error" }),
            })),
            ...(engine.own
              ? [{ label: `Take ${engine.label} away`, onSelect: () => void models.remove(engine.name) }]
              : []),
          ]}
        />
        <input
          ref={file}
          type="file"
          accept=".onnx"
          aria-label="Add a model"
          className="hidden"
          onChange={(event) => {
            const [chosen] = event.target.files ?? [];
            event.target.value = "";
            if (chosen) void models.add(chosen).then((made) => made && setName(made));
          }}
        />
        {engine.qualities.length > 1 ? (
          <Menu
            label="Quality"
            trigger={
              <Button>
                {how?.label}, about {wait(how?.speed ?? 1)} s ▾
              </Button>
            }
            items={engine.qualities.map((one) => ({
              label: `${one.label}, about ${wait(one.speed)} s`,
              checked: one === how,
              onSelect: () => setQuality(one.name),
            }))}
          />
        ) : (
          <span className="text-ink2">about {wait(how?.speed ?? 1)} s</span>
        )}
        <span className="grow" />
        <HearPart source={source} rate={rate} />
      </div>
      {job ? (
        <Coming job={job.id} step={job.step} progress={job.progress} source={source} start={mine?.start ?? 0} />
      ) : null}
    </>
  );
}

/** What one asks for without a thought: neither the quickest nor the slowest. */
function middle<T>(some: T[]): T | undefined {
  return some[Math.floor(some.length / 2)];
}

/** A few seconds of a part by an engine that is quick enough to answer at once, whatever the record will be taken apart with. */
function HearPart({ source, rate }: { source: Source; rate: number }) {
  const light = useEngines()?.engines.find((one) => one.light);
  if (!light) return null;
  return (
    <Menu
      label="Hear a part"
      trigger={<Button hint={`A few seconds from the cursor, by ${light.label.toLowerCase()}`}>Hear a part ▾</Button>}
      items={light.parts.map((part) => ({
        label: part,
        onSelect: () => void hearPart(source, light.name, part, rate),
      }))}
    />
  );
}

async function hearPart(source: Source, engine: string, part: string, rate: number): Promise<void> {
  const { selection, cursor } = useView.getState();
  const mine = selection?.source === source.id && selection.end > selection.start ? selection : null;
  const start = Math.round(mine?.start ?? Math.min(cursor, Math.max(0, source.frames - rate)));
  const end = Math.min(Math.round(mine?.end ?? source.frames), start + PREVIEW_S * rate);
  await hear(source, start, end, `/api/audio/${source.audio}/parted/${engine}/${part}/${start}/${end}`);
}

/** A job on its way: how far it has come, what of it can be heard already, and its end. */
function Coming(job: { job: string; step: string; progress: number; source: Source; start: number }) {
  const [first, setFirst] = useState<{ parts: string[]; frames: number } | null>(null);
  const begun = job.progress > 0;
  useEffect(() => {
    if (!begun || first?.parts.length) return;
    let left = false;
    void ask(api.GET("/api/jobs/{job}/first", { params: { path: { job: job.job } } })).then(
      (told) => !left && setFirst(told),
      () => undefined,
    );
    return () => {
      left = true;
    };
  }, [begun, job.job, job.progress, first]);
  const stop = () =>
    void ask(api.POST("/api/jobs/{job}/cancel", { params: { path: { job: job.job } } })).catch(() => undefined);
  const start = Math.round(job.start);
  return (
    <div className="mb-2 flex items-center gap-2 rounded-[3px] border border-rule bg-well px-2 py-1 text-[12px]">
      <span className="w-40 truncate">{job.step || "Waiting"}</span>
      <span
        role="progressbar"
        aria-label="Taking apart"
        aria-valuenow={Math.round(job.progress * 100)}
        className="h-[7px] w-40 border border-ink bg-card"
      >
        <span className="block h-full bg-ink" style={{ width: `${100 * job.progress}%` }} />
      </span>
      {first?.parts.length ? (
        <span role="group" aria-label="The first seconds" className="flex items-center gap-1">
          <span className="text-ink2">Hear its first seconds:</span>
          {first.parts.map((part) => (
            <Button
              key={part}
              onClick={() =>
                void hear(
                  job.source,
                  start,
                  start + first.frames,
                  `/api/jobs/${job.job}/first/${encodeURIComponent(part)}`,
                )
              }
            >
              {part}
            </Button>
          ))}
        </span>
      ) : null}
      <span className="grow" />
      <Button onClick={stop}>Cancel</Button>
    </div>
  );
}
