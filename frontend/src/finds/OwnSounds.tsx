/** Plain sounds of our own making, brought in like files. */
import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";
import { useAbout } from "../app/about";
import { usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { Button } from "../design/Button";
import { Menu } from "../design/Menu";
import { addFiles } from "./importing";

export function OwnSounds() {
  const about = useAbout();
  const pocket = usePocket((s) => s.open?.id);
  const names =
    useQuery({ queryKey: ["own"], queryFn: () => ask(api.GET("/api/own")), staleTime: Infinity }).data?.names ?? [];
  if (!about || !pocket) return null;
  async function take(name: string) {
    try {
      const answer = await fetch(`/api/own/${encodeURIComponent(name)}`);
      if (!answer.ok) throw new Error("The server does not give it out.");
      if (about && pocket) addFiles(pocket, [new File([await answer.blob()], `${name}.wav`)], about);
    } catch (error) {
      toast({ title: `${name} was not added`, text: (error as Error).message, tone: "error" });
    }
  }
  return (
    <Menu
      label="A sound of ours"
      trigger={
        <Button
          aria-label="Add a sound of ours"
          hint="Tones, noises, a bell, a string, drums: to begin from nothing"
          className="!px-1.5"
        >
          ▾
        </Button>
      }
      items={names.map((name) => ({ label: name, onSelect: () => void take(name) }))}
    />
  );
}
