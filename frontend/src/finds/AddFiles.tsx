/** A button that lets files be chosen, and brings them in. */
import { type ReactNode, useRef } from "react";

import { useAbout } from "../app/about";
import { usePocket } from "../app/pocket";
import { Button } from "../design/Button";
import { addFiles } from "./importing";

export function AddFiles({
  label,
  tone,
  hint,
  children,
}: {
  label: string;
  tone: "solid" | "go";
  hint?: string;
  children: ReactNode;
}) {
  const about = useAbout();
  const pocket = usePocket((s) => s.open?.id);
  const picker = useRef<HTMLInputElement>(null);
  if (!about || !pocket) return null;
  return (
    <>
      <Button tone={tone} hint={hint} onClick={() => picker.current?.click()}>
        {children}
      </Button>
      <input
        ref={picker}
        type="file"
        multiple
        aria-label={label}
        accept="audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          addFiles(pocket, event.target.files ?? [], about);
          event.target.value = "";
        }}
      />
    </>
  );
}
