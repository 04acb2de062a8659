/** What the core says of a pad's sound, and its samples. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, pcm } from "../../api/client";
import { usePocket } from "../../app/pocket";

/** Before and after, by the key of the sound as it is now: another sound is another question. */
export function useShape(pad: number) {
  const id = usePocket((s) => s.open?.id ?? "");
  const key = usePocket((s) => s.open?.sounds?.voices[pad]?.key);
  const pocketKey = usePocket((s) => JSON.stringify(s.open?.pocket.key ?? null));
  return useQuery({
    queryKey: ["shape", id, pad, key, pocketKey],
    queryFn: () => ask(api.GET("/api/pockets/{pocket}/pads/{pad}/shape", { params: { path: { pocket: id, pad } } })),
    enabled: Boolean(id && key),
    staleTime: Infinity,
    gcTime: 20_000,
    placeholderData: (before, query) => (query?.queryKey[2] === pad ? before : undefined),
    retry: false,
  }).data;
}

/** The samples of a rendered sound. */
export function usePcm(key: string | undefined): [Float32Array, Float32Array] | undefined {
  return useQuery({
    queryKey: ["pcm", key],
    queryFn: () => pcm(`/api/sound/${key}`),
    enabled: Boolean(key),
    staleTime: Infinity,
    gcTime: 10_000,
    placeholderData: keepPreviousData,
    retry: false,
  }).data as [Float32Array, Float32Array] | undefined;
}
