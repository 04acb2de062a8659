/** The lines of a find's grid, which the core lays; kept while a newer set is on its way. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import { api, ask } from "../api/client";
import type { Source } from "../api/types";
import { usePocket } from "../app/pocket";
import type { Grid } from "./marks";

export function useLines(source: Source): Grid | null {
  const pocket = usePocket((s) => s.open?.id ?? "");
  const grid = source.grid;
  const { data } = useQuery({
    queryKey: ["lines", pocket, source.id, grid],
    queryFn: () =>
      ask(api.GET("/api/pockets/{pocket}/sources/{source}/lines", { params: { path: { pocket, source: source.id } } })),
    enabled: grid !== null && pocket !== "",
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  });
  return useMemo(() => {
    if (!grid || !data?.beats.length) return null;
    const bars = data.beats.map(() => false);
    for (const i of data.bars) bars[i] = true;
    let one = 0;
    for (const i of data.bars)
      if (Math.abs((data.beats[i] as number) - grid.bar_one) < Math.abs((data.beats[one] as number) - grid.bar_one))
        one = i;
    return { beats: data.beats, bars, beatsPerBar: grid.beats_per_bar, one };
  }, [grid, data]);
}
