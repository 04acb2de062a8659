/** The pocket's finds: the left column. */
import { memo, useEffect, useRef, useState, type RefObject } from "react";

import { api } from "../api/client";
import type { About, Source } from "../api/types";
import { showSource } from "../app/actions";
import { edit } from "../app/edits";
import { useJobs } from "../app/events";
import { ordered, usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { EditableName } from "../design/EditableName";
import { fixed, seconds } from "../design/format";
import { Hint } from "../design/Hint";
import { Context, Dots } from "../design/Menu";
import { MiniWave } from "../wave/MiniWave";
import { FirstBeatCard } from "../start/FirstBeatCard";
import { AddFiles } from "./AddFiles";
import { OwnSounds } from "./OwnSounds";
import { stopFolder, useUploads } from "./importing";
import { RecordPanel } from "./RecordPanel";
import { Shelf } from "./Shelf";

/** fold: how to fold them away. */
export function Finds({ about, fold }: { about: About; fold: () => void }) {
  const open = usePocket((s) => s.open);
  const selected = useView((s) => s.source);
  const jobs = useJobs((s) => s.jobs);
  const uploads = useUploads((s) => s.uploads);
  const folder = useUploads((s) => s.folder);
  const recording = useView((s) => s.recording);
  const setRecording = (on: boolean) => useView.getState().look({ recording: on });
  const waiting = Object.values(jobs);
  const list = useRef<HTMLDivElement>(null);
  useNewestInSight(
    list,
    open?.id,
    open ? Object.keys(open.pocket.sources).length + waiting.length + uploads.length : 0,
  );
  if (!open) return null;
  const sources = ordered(open.pocket.sources);

  return (
    <aside aria-label="Finds" className="flex min-h-0 flex-col border-r-[1.5px] border-ink p-3">
      <div className="mb-2 flex items-center justify-between">
        <h2 className="title text-[14.5px]">Finds</h2>
        <button
          type="button"
          aria-label="Fold the finds away"
          title="Fold the finds away"
          className="ml-1 rounded-[2px] px-1 text-ink2 hover:bg-well"
          onClick={fold}
        >
          ‹
        </button>
        <Button
          className="mr-1 ml-auto"
          aria-pressed={recording}
          hint="The line input, or what plays here"
          onClick={() => setRecording(!recording)}
        >
          Record
        </Button>
        <AddFiles
          tone="solid"
          label="Add audio files"
          hint={`Add ${about.formats.join(" ")} files; or drop them anywhere`}
        >
          Add
        </AddFiles>
        <OwnSounds />
      </div>
      {recording ? <RecordPanel close={() => setRecording(false)} /> : null}
      <div ref={list} className="thin-scroll -mx-1 flex min-h-0 grow flex-col gap-1.5 overflow-auto px-1 pb-2">
        {sources.map((source) => (
          <FindCard key={source.id} source={source} rate={open.pocket.rate} on={source.id === selected} />
        ))}
        {folder ? (
          <Progress
            name={folder.name}
            step={`Folder: ${folder.sent} of ${folder.count} files sent`}
            share={folder.sent / folder.count}
            onCancel={stopFolder}
          />
        ) : null}
        {uploads.map((upload) => (
          <Progress key={upload.id} name={upload.name} step="Sending" share={upload.share} onCancel={upload.abort} />
        ))}
        {waiting.map((job) => (
          <Progress
            key={job.id}
            name={job.title}
            step={job.step || "Waiting"}
            share={job.progress}
            onCancel={() => void api.POST("/api/jobs/{job}/cancel", { params: { path: { job: job.id } } })}
          />
        ))}
        {!sources.length && !waiting.length && !uploads.length ? (
          <p className="rounded-[4px] border border-dashed border-ink2 p-3 text-[12.5px] text-ink2">
            Nothing here yet. Drop a loop, a break or a song anywhere in this window, or press Add.
          </p>
        ) : null}
      </div>
      <FirstBeatCard />
      <Shelf />
    </aside>
  );
}

/** What has just come in, or is on its way, stands at the end of a list that may be longer than the window. */
function useNewestInSight(list: RefObject<HTMLDivElement | null>, pocket: string | undefined, count: number): void {
  const before = useRef({ pocket, count });
  useEffect(() => {
    if (before.current.pocket === pocket && count > before.current.count)
      list.current?.lastElementChild?.scrollIntoView({ block: "nearest" });
    before.current = { pocket, count };
  }, [list, pocket, count]);
}

const FindCard = memo(function FindCard({ source, rate, on }: { source: Source; rate: number; on: boolean }) {
  const [renaming, setRenaming] = useState(false);
  const card = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (on) card.current?.scrollIntoView({ block: "nearest" });
  }, [on]);
  const choose = () => showSource(source.id);
  const grid = source.grid;
  const facts = [
    grid?.bars ? `${grid.bars} ${grid.bars === 1 ? "bar" : "bars"}` : seconds(source.frames / rate),
    source.channels === 1 ? "mono" : null,
  ]
    .filter(Boolean)
    .join(", ");

  const items = [
    { label: "Open in Listen", onSelect: () => (choose(), useView.getState().look({ station: "listen" })) },
    { label: "Open in Chop", onSelect: () => (choose(), useView.getState().look({ station: "chop" })) },
    null,
    { label: "Rename", onSelect: () => setTimeout(() => setRenaming(true)) },
    { label: "Remove", onSelect: () => void remove(source) },
  ];
  return (
    <Context label={`${source.name}: what to do`} items={() => items}>
      <div
        ref={card}
        data-find={source.id}
        className={`relative shrink-0 rounded-[4px] bg-card ${on ? "border-[1.5px] border-ink shadow-[3px_3px_0_var(--color-well)]" : "border border-rule hover:border-ink2"}`}
      >
        <button
          type="button"
          aria-pressed={on}
          aria-label={`Open ${source.name}`}
          className="absolute inset-0 rounded-[4px]"
          draggable
          onDragStart={(event) => event.dataTransfer.setData("text/find", source.id)}
          onClick={choose}
          onDoubleClick={() => setRenaming(true)}
        />
        <div className="pointer-events-none relative px-2 py-1.5">
          <div className="flex items-center justify-between gap-1">
            <EditableName
              className="title pointer-events-auto text-[13.5px]"
              label="Name of the find"
              value={source.name}
              editing={renaming}
              onClick={choose}
              onEditing={setRenaming}
              onChange={(name) => void edit({ type: "rename_source", source: source.id, name })}
            />
            <span className="pointer-events-auto -mr-1">
              <Dots name={`Menu of ${source.name}`} label={`${source.name}: what to do`} items={items} />
            </span>
          </div>
          <MiniWave hash={source.audio} frames={source.frames} start={0} end={source.frames} height={20} />
          <div className="mt-0.5 flex items-center gap-1.5 text-[11px] text-ink2">
            <span className="font-semibold">{grid ? fixed(grid.bpm, 2) : "no tempo"}</span>
            <span className="truncate">{facts}</span>
            {source.origin?.lossy ? (
              <Hint text={`From a lossy file (${source.origin.format}): what its coding threw away cannot come back.`}>
                <span
                  tabIndex={0}
                  className="pointer-events-auto ml-auto rounded-[2px] border border-ink2 px-1 text-[11px] leading-[14px]"
                >
                  lossy
                </span>
              </Hint>
            ) : null}
          </div>
        </div>
      </div>
    </Context>
  );
});

async function remove(source: Source): Promise<void> {
  const pads = Object.values(usePocket.getState().open?.pocket.pads ?? {}).filter(
    (pad) => pad.chop.source === source.id,
  );
  if (!pads.length) {
    await edit({ type: "remove_source", source: source.id, with_pads: false });
    return;
  }
  toast({
    title: `${source.name} is on ${pads.length} pads`,
    text: "Removing it empties those pads too. Undo brings all of it back.",
    tone: "error",
    action: {
      label: "Remove with pads",
      run: () => void edit({ type: "remove_source", source: source.id, with_pads: true }),
    },
  });
}

function Progress({
  name,
  step,
  share,
  onCancel,
}: {
  name: string;
  step: string;
  share: number;
  onCancel: () => void;
}) {
  return (
    <div className="shrink-0 rounded-[4px] border border-dashed border-ink2 px-2 py-1.5" data-progress={name}>
      <div className="flex items-center justify-between gap-2">
        <span className="title truncate text-[13px]">{name}</span>
        <button
          type="button"
          aria-label={`Cancel ${name}`}
          className="rounded-[2px] px-1 text-[11.5px] underline hover:bg-well"
          onClick={onCancel}
        >
          Cancel
        </button>
      </div>
      <div
        role="progressbar"
        aria-label={`${step} ${name}`}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(share * 100)}
        className="mt-1 h-[5px] bg-well"
      >
        <div className="h-full bg-ink" style={{ width: `${Math.round(share * 100)}%` }} />
      </div>
      <div className="mt-0.5 text-[11px] text-ink2">
        {step}, {Math.round(share * 100)} %
      </div>
    </div>
  );
}
