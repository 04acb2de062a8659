/** What of a stem is not its own: told, drawn pale over its wave, and moved by hand out of a region in time and pitch. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState, type PointerEvent, type RefObject } from "react";

import { api, ask } from "../../api/client";
import type { Source } from "../../api/types";
import { noteJob } from "../../app/events";
import { usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { INK } from "../../design/roles";
import { useWidth } from "../../wave/useCanvas";
import { hear, partOf } from "./balance";

const HEIGHT = 168;
const MOST_SEEN_S = 20;
const [LOW, HIGH, ROWS] = [40, 16000, 96];
/** From here on a step's leak is worth drawing. */
const PALE = 0.02;

export function useLeak(stem: Source) {
  return useQuery({
    queryKey: ["leak", stem.audio],
    queryFn: () => ask(api.GET("/api/audio/{audio}/leak", { params: { path: { audio: stem.audio } } })),
    staleTime: Infinity,
  }).data?.leak;
}

/** A small meter: how far under the stem its leak lies, and what it is of. */
export function LeakMeter({ stem }: { stem: Source }) {
  const leak = useLeak(stem);
  if (!leak) return null;
  const level = leak.decibels;
  const share = level === null || level === undefined ? 0 : Math.max(0, 1 + level / 40);
  const text = level === null || level === undefined ? "none told" : `${level.toFixed(0)} dB, ${leak.source}`;
  return (
    <span
      className="flex min-w-0 items-center gap-1 pr-2"
      title="What lies where another stem is at least 10 dB louder in the same moment and band"
    >
      <span className="text-[11.5px] text-ink2">leak</span>
      <span
        role="meter"
        aria-label={`Leak of ${partOf(stem)}`}
        aria-valuemin={-40}
        aria-valuemax={0}
        aria-valuenow={level ?? -40}
        aria-valuetext={text}
        className="h-[7px] w-8 shrink-0 border border-ink bg-card"
      >
        <span className="block h-full bg-now" style={{ width: `${100 * share}%` }} />
      </span>
      <span className="truncate text-[11.5px] text-ink2">{text}</span>
    </span>
  );
}

/** Where it leaks, over the stem's wave: paler the more of it is not its own. */
export function PaleLeak({ stem, rate }: { stem: Source; rate: number }) {
  const leak = useLeak(stem);
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const width = useWidth(box);
  useEffect(() => {
    const c = canvas.current?.getContext("2d");
    if (!c || !canvas.current || !width || !leak) return;
    canvas.current.width = width;
    canvas.current.height = 1;
    const paper = getComputedStyle(canvas.current).getPropertyValue("--color-paper");
    const step = (leak.step_s * rate * width) / stem.frames;
    leak.shares.forEach((share, k) => {
      if (share < PALE) return;
      c.globalAlpha = Math.min(0.75, 0.25 + 2 * share);
      c.fillStyle = paper;
      c.fillRect(k * step, 0, Math.ceil(step), 1);
    });
  }, [leak, width, rate, stem.frames]);
  return (
    <div ref={box} aria-hidden className="pointer-events-none absolute inset-0">
      <canvas ref={canvas} className="h-full" style={{ width }} />
    </div>
  );
}

interface Region {
  start: number;
  end: number;
  low: number;
  high: number;
}

const hertz = (share: number) => LOW * (HIGH / LOW) ** share;

/** What the server sees at an address, ROWS by columns, painted in ink onto a canvas. */
function usePicture(
  canvas: RefObject<HTMLCanvasElement | null>,
  address: string,
  columns: number,
  wanted: boolean,
): void {
  const { data } = useQuery({
    queryKey: ["seen", address],
    queryFn: async () => new Uint8Array(await (await fetch(address)).arrayBuffer()),
    staleTime: 60_000,
    enabled: wanted,
  });
  useEffect(() => {
    const c = canvas.current?.getContext("2d");
    if (!c || !canvas.current || data?.length !== ROWS * columns) return;
    canvas.current.width = columns;
    canvas.current.height = ROWS;
    const picture = c.createImageData(columns, ROWS);
    const ink = [1, 3, 5].map((at) => parseInt(INK.slice(at, at + 2), 16));
    for (let row = 0; row < ROWS; row++)
      for (let column = 0; column < columns; column++) {
        const place = 4 * ((ROWS - 1 - row) * columns + column);
        picture.data.set([...ink, data[row * columns + column] ?? 0], place);
      }
    c.putImageData(picture, 0, 0);
  }, [canvas, data, columns]);
}

/** What is where in a stem: a region is drawn, heard alone, and moved to another stem or thrown away. */
export function LeakPanel({
  stem,
  members,
  rate,
  onClose,
}: {
  stem: Source;
  members: Source[];
  rate: number;
  onClose: () => void;
}) {
  const open = usePocket((s) => s.open);
  const offset = stem.kin?.offset ?? 0;
  const root = stem.kin?.root ?? stem.id;
  const shown = useView((s) =>
    s.selection?.source === root && s.selection.end > s.selection.start ? s.selection : s.windows[root],
  );
  const cursor = useView((s) => s.cursor);
  const start = Math.round(Math.min(Math.max(0, (shown?.start ?? cursor) - offset), Math.max(0, stem.frames - rate)));
  const end = Math.round(
    Math.min(stem.frames, start + MOST_SEEN_S * rate, Math.max(start + rate / 2, (shown?.end ?? Infinity) - offset)),
  );
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const columns = Math.max(1, Math.min(1200, Math.floor(width / 2)));
  const [region, setRegion] = useState<Region | null>(null);
  const from = useRef<{ x: number; y: number } | null>(null);
  const address = `/api/audio/${stem.audio}/seen/${start}/${end}/${columns}`;
  usePicture(canvas, address, columns, width > 0);

  function place(event: PointerEvent<HTMLDivElement>) {
    const rect = event.currentTarget.getBoundingClientRect();
    const inside = (value: number) => Math.min(1, Math.max(0, value));
    return {
      x: inside((event.clientX - rect.left) / rect.width),
      y: inside(1 - (event.clientY - rect.top) / rect.height),
    };
  }
  function draw(event: PointerEvent<HTMLDivElement>) {
    const begun = from.current;
    if (!begun) return;
    const now = place(event);
    const [left, right] = [Math.min(begun.x, now.x), Math.max(begun.x, now.x)];
    const [low, high] = [Math.min(begun.y, now.y), Math.max(begun.y, now.y)];
    setRegion({
      start: Math.round(start + left * (end - start)),
      end: Math.round(start + right * (end - start)),
      low: low < 0.005 ? 0 : Math.round(hertz(low)),
      high: Math.round(hertz(high)),
    });
  }
  const drawn = region && region.end - region.start > 64 && region.high > region.low + 5 ? region : null;
  const query = drawn ? `start=${drawn.start}&end=${drawn.end}&low=${drawn.low}&high=${drawn.high}` : "";

  async function move(to: string | null) {
    if (!open || !drawn) return;
    try {
      noteJob(
        await ask(
          api.POST("/api/pockets/{pocket}/sources/{source}/leak", {
            params: { path: { pocket: open.id, source: stem.id } },
            body: { region: { ...drawn, amount: 1 }, to },
          }),
        ),
      );
      setRegion(null);
    } catch (error) {
      toast({ title: "Nothing was moved", text: (error as Error).message, tone: "error" });
    }
  }
  const y = (hz: number) => (hz <= LOW ? 0 : Math.log(hz / LOW) / Math.log(HIGH / LOW));
  return (
    <div className="mt-1 ml-[150px]">
      <div className="mb-1 flex items-center gap-1.5 text-[12px]">
        <span className="text-ink2">
          {drawn
            ? `${((drawn.end - drawn.start) / rate).toFixed(2)} s, ${drawn.low} to ${drawn.high} Hz`
            : "Draw a box round what does not belong here."}
        </span>
        <span className="grow" />
        <Button
          disabled={!drawn}
          onClick={() =>
            drawn &&
            void hear(stem, drawn.start + offset, drawn.end + offset, `/api/audio/${stem.audio}/lifted?${query}`)
          }
        >
          Hear the box
        </Button>
        <Menu
          label="Move to"
          trigger={<Button disabled={!drawn}>Move it to ▾</Button>}
          items={[
            ...members
              .filter((one) => one.id !== stem.id && one.kin?.kind === "stem")
              .map((one) => ({ label: partOf(one), onSelect: () => void move(one.id) })),
            null,
            { label: "nowhere: throw it away", onSelect: () => void move(null) },
          ]}
        />
        <Button onClick={onClose}>Done</Button>
      </div>
      <div
        ref={box}
        role="img"
        aria-label={`What is where in ${partOf(stem)}`}
        className="relative cursor-crosshair touch-none border border-ink bg-card"
        style={{ height: HEIGHT }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          from.current = place(event);
          setRegion(null);
        }}
        onPointerMove={draw}
        onPointerUp={() => (from.current = null)}
        onPointerCancel={() => (from.current = null)}
      >
        <canvas ref={canvas} className="h-full w-full" />
        {[100, 1000, 10000].map((hz) => (
          <span
            key={hz}
            className="pointer-events-none absolute left-1 bg-card/80 px-0.5 text-[11px] text-ink"
            style={{ bottom: y(hz) * HEIGHT - 8 }}
          >
            {hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`}
          </span>
        ))}
        {region ? (
          <span
            data-testid="leak-box"
            className="pointer-events-none absolute border-[1.5px] border-now bg-now/15"
            style={{
              left: `${(100 * (region.start - start)) / (end - start)}%`,
              width: `${(100 * (region.end - region.start)) / (end - start)}%`,
              bottom: y(region.low) * HEIGHT,
              height: (y(region.high) - y(region.low)) * HEIGHT,
            }}
          />
        ) : null}
      </div>
    </div>
  );
}
