/** The chop, large: its wave, trim and loop as folds and a field, the envelope as a thread over it; under it, how it sounds. */
import { useEffect, useRef } from "react";

import type { FullSound, Pad, ShapeReply } from "../../api/types";
import { fixed } from "../../design/format";
import { INK, RULE, roleColor } from "../../design/roles";
import { useWidth, useWaveHeight } from "../../wave/useCanvas";
import { Loop } from "./Loop";
import { drawPcm } from "./picture";
import type { Change } from "../../app/shaping";
import { Thread } from "./Thread";
import { Trim } from "./Trim";
import { usePcm } from "./useShape";

interface Props {
  index: number;
  pad: Pad;
  sound: FullSound;
  shape: ShapeReply | undefined;
  rate: number;
  change: Change;
}

export function ShapeWave({ index, pad, sound, shape, rate, change }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const raw = useRef<HTMLCanvasElement>(null);
  const shaped = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  // What lies under it is a fixed number of lines.
  const height = useWaveHeight(178, 0.55);
  const before = usePcm(shape?.raw.key);
  const after = usePcm(shape?.shaped.key);
  const chopMs = (1000 * (pad.chop.end - pad.chop.start)) / rate;
  const bodyMs = (1000 * (shape?.body ?? 0)) / rate;
  // One scale for both, so that what is seen above is heard below.
  const across = Math.max(chopMs, Math.min(bodyMs, 3 * chopMs), 1);
  const x = (ms: number) => (ms / across) * width;
  const frames = (across / 1000) * rate;
  const loudest = peak(before);

  useEffect(() => {
    if (raw.current) drawPcm(raw.current, before, shape?.raw.lead ?? 0, frames, before ? INK : RULE, 0.92 / loudest);
    if (shaped.current)
      drawPcm(
        shaped.current,
        after,
        shape?.shaped.lead ?? 0,
        frames,
        roleColor("snare"),
        0.92 / Math.max(loudest, peak(after)),
      );
  });

  return (
    <div>
      <div
        ref={box}
        className="relative overflow-hidden rounded-[4px] border-[1.5px] border-ink bg-card"
        style={{ height }}
        data-testid="shape-wave"
      >
        <canvas
          ref={raw}
          className="absolute inset-0 size-full"
          style={{
            opacity: 0.4,
            transform: sound.reverse ? "scaleX(-1)" : undefined,
            transformOrigin: `${x(chopMs) / 2}px 0`,
          }}
          aria-hidden
        />
        {width ? (
          <>
            <Loop
              pad={index}
              sound={sound}
              change={change}
              x={x}
              width={width}
              lengthMs={chopMs - sound.start - sound.end}
              offsetMs={sound.reverse ? sound.end : sound.start}
            />
            <Trim pad={index} sound={sound} change={change} x={x} lengthMs={chopMs} perPixel={across / width} />
            <Thread
              pad={index}
              sound={sound}
              change={change}
              x={x}
              width={width}
              height={height}
              endMs={Math.min(across, bodyMs || across)}
              perPixel={across / width}
            />
          </>
        ) : null}
      </div>
      <div className="relative mt-1.5 h-[max(62px,9vh)] rounded-[4px] bg-well">
        <span className="absolute top-1 right-1 z-10 rounded-[2px] bg-well px-1 text-[11.5px] text-ink2">
          as it sounds
          {shape && Math.abs(shape.louder_db) >= 0.5
            ? `, ${fixed(Math.abs(shape.louder_db), 1)} dB ${shape.louder_db > 0 ? "louder" : "softer"}`
            : ""}
        </span>
        <canvas ref={shaped} className="absolute inset-0 size-full" role="img" aria-label="As it sounds" />
      </div>
    </div>
  );
}

function peak(sound: [Float32Array, Float32Array] | undefined): number {
  let most = 0.05;
  if (sound)
    for (const side of sound)
      for (let i = 0; i < side.length; i += 3) most = Math.max(most, Math.abs(side[i] as number));
  return most;
}
