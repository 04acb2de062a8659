import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";
import type { About, Parameter } from "../api/types";

/** Limits and ranges, which do not change while the server runs. */
export function useAbout(): About | undefined {
  return useQuery({ queryKey: ["about"], queryFn: () => ask(api.GET("/api/about")), staleTime: Infinity, retry: true })
    .data;
}

export function useParameter(group: string, name: string): Parameter {
  const about = useAbout();
  const found = about?.parameters[group]?.find((p) => p.name === name);
  if (!found) throw new Error(`no parameter ${group}.${name}`);
  return found;
}

export function useHearing(hash: string | undefined) {
  return useQuery({
    queryKey: ["hearing", hash],
    queryFn: () => ask(api.GET("/api/audio/{audio}/hearing", { params: { path: { audio: hash ?? "" } } })),
    enabled: Boolean(hash),
    staleTime: Infinity,
  }).data;
}
