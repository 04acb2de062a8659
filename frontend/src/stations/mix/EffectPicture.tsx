/** What an effect does, drawn from the core's own numbers. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask } from "../../api/client";
import type { Drawing } from "../../api/types";
import { fixed } from "../../design/format";
import { INK, RULE } from "../../design/roles";

const WIDTH = 230;
const HEIGHT = 112;

interface Props {
  kind: string;
  settings: Record<string, number | boolean | string>;
  tempo: number;
}

export function EffectPicture({ kind, settings, tempo }: Props) {
  const { data } = useQuery({
    queryKey: ["drawing", kind, settings, tempo],
    queryFn: () =>
      ask(api.POST("/api/effects/{kind}/drawing", { params: { path: { kind } }, body: { settings, tempo } })),
    staleTime: Infinity,
    gcTime: 10_000,
    placeholderData: keepPreviousData,
  });
  return data?.x?.length ? <Picture data={data} label="What it does" /> : <span />;
}

export function Picture({ data, label }: { data: Drawing; label: string }) {
  const xs = data.x ?? [];
  const ys = data.y ?? [];
  const low = data.low ?? 0;
  const high = data.high ?? 1;
  const first = xs[0] as number;
  const last = xs.at(-1) as number;
  const across = (x: number) =>
    (data.log_x
      ? Math.log(x / first) / Math.log(last / first)
      : (x - Math.min(first, 0)) / (last - Math.min(first, 0))) * WIDTH;
  const down = (y: number) => HEIGHT - ((Math.min(high, Math.max(low, y)) - low) / (high - low)) * HEIGHT;
  const zero = down(Math.max(low, Math.min(high, 0)));
  return (
    <figure className="m-0">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width={WIDTH}
        height={HEIGHT}
        role="img"
        aria-label={label}
        className="block rounded-[3px] bg-well"
      >
        <line x1={0} x2={WIDTH} y1={zero} y2={zero} stroke={RULE} />
        {data.shape === "bars" ? (
          xs.map((x, i) => (
            <rect
              key={i}
              x={(x / (last * 1.06)) * WIDTH - 2}
              y={down(ys[i] as number)}
              width={4}
              height={HEIGHT - down(ys[i] as number)}
              fill={INK}
            />
          ))
        ) : (
          <polyline
            fill="none"
            stroke={INK}
            strokeWidth={2}
            points={xs.map((x, i) => `${across(x).toFixed(1)},${down(ys[i] as number).toFixed(1)}`).join(" ")}
          />
        )}
      </svg>
      <figcaption className="flex justify-between text-[11px] text-ink2">
        <span>
          {data.log_x ? "20" : fixed(Math.min(first, 0), 0)} {data.x_unit}
        </span>
        <span>{data.y_unit ? `${fixed(low, 0)} to ${fixed(high, 0)} ${data.y_unit}` : ""}</span>
        <span>
          {last >= 1000 && data.x_unit === "Hz" ? `${last / 1000} k` : fixed(last, last < 10 ? 2 : 0)} {data.x_unit}
        </span>
      </figcaption>
    </figure>
  );
}
