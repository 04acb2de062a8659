/** What records can be taken apart with: what ships, and models of one's own. */
import { useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask } from "../../api/client";
import { toast } from "../../app/toasts";

const KEY = ["engines"];

export function useEngines() {
  return useQuery({
    queryKey: KEY,
    queryFn: () => ask(api.GET("/api/split/engines")),
    staleTime: 60_000,
  }).data;
}

/** add(file): take a model in, and what it is called as an engine; remove(name): take it away again. */
export function useModels() {
  const client = useQueryClient();
  const names = () => client.getQueryData<{ engines: { name: string }[] }>(KEY)?.engines.map(({ name }) => name) ?? [];
  async function add(file: File): Promise<string | null> {
    const before = names();
    const answer = await fetch(`/api/split/models?name=${encodeURIComponent(file.name)}`, {
      method: "POST",
      headers: { "Content-Type": "application/octet-stream" },
      body: file,
    });
    const told = (await answer.json()) as { message?: string; engines?: { name: string }[] };
    if (!answer.ok) {
      toast({ title: `${file.name} was not taken`, text: told.message ?? "It cannot be read.", tone: "error" });
      return null;
    }
    client.setQueryData(KEY, told);
    return (told.engines?.find(({ name }) => !before.includes(name)) ?? told.engines?.at(-1))?.name ?? null;
  }
  async function remove(name: string): Promise<void> {
    try {
      client.setQueryData(
        KEY,
        await ask(api.DELETE("/api/split/models/{model}", { params: { path: { model: name } } })),
      );
    } catch (error) {
      toast({ title: "The model stays", text: (error as Error).message, tone: "error" });
    }
  }
  return { add, remove };
}
