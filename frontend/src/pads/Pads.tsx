/** The pads: always there, always playable. */
import { memo, useRef, useState, type PointerEvent } from "react";

import { create } from "zustand";

import type { Pad, Pocket, Source } from "../api/types";
import { useSounding } from "../audio/voices";
import { edit } from "../app/edits";
import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { EditableName } from "../design/EditableName";
import { Context, Dots } from "../design/Menu";
import { Name } from "../design/Name";
import { CARD, INK, roleColor, ROLES } from "../design/roles";
import { useWindow } from "../design/useWindow";
import { MiniWave } from "../wave/MiniWave";
import { PAGE, useKeyNames } from "./keys";
import { Controller } from "./Controller";
import { choosePad, padItems } from "./choosing";
import { toggleNotes } from "./notes";
import { PadSettings } from "./PadSettings";
import { useLit } from "./lighting";
import { droppedOn } from "./dropping";
import { pressPad, releasePad } from "./press";

/** Pixels of a pad, in a low window and in a high one. */
const LOWEST = 76;
const HIGHEST = 150;
/** What of it is not the wave. */
const ROUND_WAVE = 48;

export function Pads() {
  const pocket = usePocket((s) => s.open?.pocket);
  const page = useView((s) => s.page);
  const chosen = useView((s) => s.pads);
  const controller = useView((s) => s.controller);
  const height = useWindow(() => Math.round(Math.min(HIGHEST, Math.max(LOWEST, window.innerHeight * 0.1025))));
  const { look } = useView.getState();
  if (!pocket) return null;
  const used = Object.keys(pocket.pads).map(Number);
  const pages = Math.min(64, Math.max(page, ...used.map((pad) => Math.floor(pad / PAGE)), 0) + 1);
  const more = Math.min(64, Math.floor(Math.max(-1, ...used) / PAGE) + 2);
  const settings = chosen.filter((pad) => pocket.pads[pad]);
  const here = used.filter((pad) => Math.floor(pad / PAGE) === page);
  const mixed = new Set(here.map((pad) => pocket.pads[pad]?.chop.source)).size > 1;

  return (
    <section
      aria-label="Pads"
      className="thin-scroll flex min-h-0 flex-col overflow-auto border-l-[1.5px] border-ink p-3"
    >
      <div className="mb-2 flex items-center justify-between gap-1">
        <h2 className="title text-[14.5px]">Pads</h2>
        <button
          type="button"
          aria-label="Fold the pads away"
          title="Fold the pads away; the keys play them all the same"
          className="rounded-[2px] px-1 text-ink2 hover:bg-well"
          onClick={() => look({ padsShut: true })}
        >
          ›
        </button>
        <PageName page={page} name={pocket.pages[page] ?? ""} />
        <span className="grow" />
        <Button
          tone="quiet"
          className="!px-1.5"
          keys="Page up"
          hint="Page before"
          aria-label="Page before"
          disabled={page === 0}
          onClick={() => look({ page: page - 1 })}
        >
          ‹
        </Button>
        <span aria-live="polite" className="whitespace-nowrap">
          page {page + 1} <span className="text-ink2">of {Math.max(pages, page + 1)}</span>
        </span>
        <Button
          tone="quiet"
          className="!px-1.5"
          keys="Page down"
          hint="Next page"
          aria-label="Next page"
          disabled={page + 1 >= more}
          onClick={() => look({ page: page + 1 })}
        >
          ›
        </Button>
        <PageMenu page={page} pocket={pocket} />
      </div>
      <NotesOn pocket={pocket} />
      <div className="grid grid-cols-4 gap-2" data-testid="pad-grid">
        {Array.from({ length: PAGE }, (_, i) => {
          const index = page * PAGE + i;
          const pad = pocket.pads[index];
          return (
            <PadCard
              key={index}
              index={index}
              place={i}
              pad={pad}
              source={pad ? pocket.sources[pad.chop.source] : undefined}
              mixed={mixed}
              height={height}
              chosen={chosen.includes(index)}
            />
          );
        })}
      </div>
      {controller ? <Controller /> : null}
      {settings.length ? <PadSettings pads={settings} pocket={pocket} /> : <Empty none={!used.length} />}
    </section>
  );
}

/** Said wherever one is while the letters play notes and not pads. */
function NotesOn({ pocket }: { pocket: Pocket }) {
  const on = useView((s) => s.notesOn);
  const pad = useView((s) => s.pads).map((index) => pocket.pads[index])[0];
  if (!on) return null;
  return (
    <p role="status" className="mb-2 flex items-center gap-1.5 rounded-[3px] bg-nowtint px-2 py-1 text-[12px]">
      <span className="min-w-0 grow">
        {pad ? `The keys play notes of ${pad.called}.` : "The keys play notes: choose a pad."}
      </span>
      <Button keys="I" onClick={toggleNotes}>
        Pads again
      </Button>
    </p>
  );
}

/** A page's own name, if it has one: a double click, or the menu, changes it. */
function PageName({ page, name }: { page: number; name: string }) {
  const [editing, setEditing] = useState(false);
  const naming = useNaming((s) => s.page === page);
  const on = editing || naming;
  const set = (next: boolean) => {
    setEditing(next);
    if (!next) useNaming.setState({ page: null });
  };
  if (!name && !on) return null;
  return (
    <span className="min-w-0 truncate" onDoubleClick={() => set(true)}>
      <EditableName
        className="title truncate text-[13px] text-ink2"
        label="Name of the page"
        value={name || `Page ${page + 1}`}
        editing={on}
        onEditing={set}
        onChange={(next) => void edit({ type: "name_page", page, name: next })}
      />
    </span>
  );
}

const useNaming = create<{ page: number | null }>(() => ({ page: null }));

function PageMenu({ page, pocket }: { page: number; pocket: Pocket }) {
  const mine = Object.keys(pocket.pads)
    .map(Number)
    .filter((pad) => Math.floor(pad / PAGE) === page);
  const controller = useView((s) => s.controller);
  const { look } = useView.getState();
  return (
    <Dots
      name="Menu of the page"
      label="What to do with the page"
      items={[
        { label: "Name this page", focuses: true, onSelect: () => setTimeout(() => useNaming.setState({ page })) },
        { label: "Copy as a kit of its own", disabled: !mine.length, onSelect: () => void copyPage(page) },
        { label: "Choose all its pads", disabled: !mine.length, onSelect: () => look({ pads: mine }) },
        {
          label: "Clear this page",
          disabled: !mine.length,
          onSelect: () => void edit({ type: "clear_pads", pads: mine }),
        },
        null,
        { label: "Pad controller", checked: controller, onSelect: () => look({ controller: !controller }) },
      ]}
    />
  );
}

async function copyPage(page: number): Promise<void> {
  const before = new Set(Object.keys(usePocket.getState().open?.pocket.pads ?? {}));
  if (!(await edit({ type: "copy_page", page }))) return;
  const added = Object.keys(usePocket.getState().open?.pocket.pads ?? {}).find((pad) => !before.has(pad));
  if (added !== undefined) useView.getState().look({ page: Math.floor(Number(added) / PAGE), pads: [] });
}

function Empty({ none }: { none: boolean }) {
  return (
    <p className="mt-3 border-t border-rule pt-3 text-[12.5px] text-ink2">
      {none
        ? "No chops on the pads yet. Open a find in Chop and press All to pads."
        : "Play a pad to see and change its settings."}
    </p>
  );
}

/** A padlock: no slice takes the place of this one. */
function Lock({ lit }: { lit: boolean }) {
  return (
    <svg
      aria-hidden
      viewBox="0 0 10 12"
      className="absolute top-[16px] left-[6px] h-[12px] w-[10px]"
      fill={lit ? CARD : INK}
      stroke={lit ? CARD : INK}
    >
      <path d="M2.6 5.5V3.6a2.4 2.4 0 0 1 4.8 0v1.9" fill="none" strokeWidth="1.5" />
      <rect x="1.2" y="5.4" width="7.6" height="5.8" rx="1" strokeWidth="0" />
    </svg>
  );
}

interface CardProps {
  index: number;
  place: number;
  pad: Pad | undefined;
  source: Source | undefined;
  /** The pads of its page play several finds: each tells its own. */
  mixed: boolean;
  /** Pixels. */
  height: number;
  chosen: boolean;
}

const PadCard = memo(function PadCard({ index, place, pad, source, mixed, height, chosen }: CardProps) {
  const key = useKeyNames((s) => s.names[place]);
  const hits = useSounding((s) => s.sounding[index]);
  const struck = useLit((s) => s.lit[index] ?? false);
  const live = useView((s) => s.live);
  const [over, setOver] = useState(false);
  const dragged = useRef(false);
  const { look } = useView.getState();
  const color = roleColor(pad?.role);
  const frame = "relative w-full overflow-hidden rounded-t-[3px] rounded-b-[16px] border-[1.4px] select-none";

  const dropping = droppedOn(index, pad, setOver);

  if (!pad || !source)
    return (
      <div
        {...dropping}
        data-pad={index}
        style={{ height }}
        title={live ? "Press while the find plays: it is cut here" : undefined}
        onPointerDown={(event) => event.button === 0 && pressPad(index, 127, event.timeStamp)}
        className={`${frame} border-dashed text-ink2 ${over ? "border-now bg-nowtint" : live ? "border-now" : "border-ink2/50"}`}
      >
        <span className="absolute top-0 left-1.5 text-[11px]">{key}</span>
        {live ? <span className="absolute inset-x-0 bottom-3 text-center text-[11px] text-now">cut</span> : null}
      </div>
    );

  function press(event: PointerEvent<HTMLElement>) {
    if (event.button !== 0) return;
    // A finger that holds a pad plays it: it opens no menu and drags nothing.
    if (event.pointerType === "touch") event.preventDefault();
    event.currentTarget.draggable = event.pointerType !== "touch";
    dragged.current = false;
    pressPad(index, 127, event.timeStamp);
    choosePad(index, event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "toggle" : "one");
  }
  const release = () => releasePad(index);
  const lit = Boolean(hits);

  return (
    <Context
      label={`${pad.called}: what to do`}
      items={() => padItems(useView.getState().pads.includes(index) ? useView.getState().pads : [index])}
    >
      <button
        type="button"
        {...dropping}
        data-pad={index}
        style={{ height }}
        data-sounding={lit || undefined}
        data-struck={struck || undefined}
        aria-label={`Pad ${key}: ${pad.called}, ${source.name}${pad.role ? `, ${ROLES[pad.role].label}` : ""}${pad.locked ? ", locked" : ""}`}
        aria-pressed={chosen}
        draggable
        onDragStart={(event) => {
          release();
          dragged.current = true;
          event.dataTransfer.setData("text/pad", String(index));
          event.dataTransfer.effectAllowed = "move";
        }}
        onPointerDown={press}
        onPointerUp={release}
        onPointerCancel={release}
        onPointerLeave={(event) => event.buttons && release()}
        onKeyDown={(event) => {
          if ((event.key === "Enter" || event.key === " ") && !event.repeat) {
            event.preventDefault();
            event.stopPropagation();
            pressPad(index, 127, event.timeStamp);
            look({ pads: [index] });
          }
        }}
        onKeyUp={(event) => (event.key === "Enter" || event.key === " ") && release()}
        className={`${frame} touch-none ${lit ? "border-now bg-now text-card" : struck ? "bg-nowtint" : "bg-card"} ${over ? "border-now" : lit ? "" : "border-ink"} ${chosen && !lit ? "shadow-[0_0_0_2px_var(--color-now)]" : ""}`}
      >
        <span className="absolute top-0 left-1.5 text-[11px]">{key}</span>
        <span aria-hidden className="absolute -top-px right-1.5 text-[11px]" style={{ color: lit ? CARD : color }}>
          {pad.role ? ROLES[pad.role].glyph : ""}
        </span>
        <span
          aria-hidden
          className="absolute top-[13px] right-[5px] left-[5px] border-t-[1.4px] border-dashed"
          style={{ borderColor: lit ? CARD : color }}
        />
        <span className="absolute top-[18px] right-[5px] left-[5px]">
          <MiniWave
            hash={source.audio}
            frames={source.frames}
            start={Math.max(0, pad.chop.start)}
            end={Math.min(source.frames, pad.chop.end)}
            height={height - ROUND_WAVE}
            color={lit ? CARD : INK}
            fit
          />
        </span>
        <Name
          text={pad.called}
          className={`absolute right-1 left-1 justify-center text-[11px] leading-[13px] font-semibold ${mixed ? "bottom-[14px]" : "bottom-[7px]"}`}
        />
        {mixed ? (
          <Name
            text={source.name}
            className={`absolute right-2.5 bottom-[2px] left-2.5 justify-center text-[11px] leading-[12px] ${lit ? "" : "text-ink2"}`}
          />
        ) : null}
        {pad.locked ? <Lock lit={lit} /> : null}
        {pad.layers.length ? (
          <span className="absolute top-0 left-5 text-[11px]" title={`${pad.layers.length + 1} layers`}>
            +{pad.layers.length}
          </span>
        ) : null}
        {pad.sound.reverse || pad.sound.play === "held" ? (
          <span aria-hidden className="absolute top-[15px] right-1.5 text-[11px]" style={{ color: lit ? CARD : INK }}>
            {pad.sound.reverse ? "◂" : ""}
            {pad.sound.play === "held" ? "▭" : ""}
          </span>
        ) : null}
      </button>
    </Context>
  );
});
