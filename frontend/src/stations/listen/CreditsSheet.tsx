/** Whose record it is: typed here, or read from the file's tags when it came in. */
import { Popover } from "radix-ui";
import { useState } from "react";

import type { Source } from "../../api/types";
import { edit } from "../../app/edits";
import { Button } from "../../design/Button";

const FIELDS = [
  { key: "artist", label: "Artist" },
  { key: "title", label: "Title" },
  { key: "year", label: "Year" },
  { key: "rights", label: "Rights held by" },
] as const;
const CLEARED = [
  { value: "yes", label: "cleared" },
  { value: "no", label: "not cleared" },
  { value: "unknown", label: "not known" },
] as const;

export function CreditsSheet({ source }: { source: Source }) {
  const { artist, title, cleared } = source.credits;
  const what = [artist, title].filter(Boolean).join(", ");
  const state = cleared === null ? "" : cleared ? ", cleared" : ", not cleared";
  return (
    <Popover.Root>
      <div className="mt-1 flex flex-wrap items-center gap-1">
        <Popover.Trigger asChild>
          <Button hint="Artist, title, year, and whether it may be used">Credits</Button>
        </Popover.Trigger>
        <span className="min-w-0 truncate text-ink2">{what ? `${what}${state}` : `nobody yet${state}`}</span>
      </div>
      <Popover.Portal>
        <Popover.Content
          side="left"
          sideOffset={6}
          className="z-50 w-[280px] rounded-[4px] border-[1.5px] border-ink bg-card p-3 text-[12.5px] shadow-[3px_3px_0_var(--color-well)]"
        >
          <h4 className="title mb-2 text-[14px]">Credits of {source.name}</h4>
          {FIELDS.map(({ key, label }) => (
            <Field
              key={key}
              label={label}
              value={source.credits[key]}
              onChange={(value) => void edit({ type: "set_credits", source: source.id, [key]: value })}
            />
          ))}
          <div role="group" aria-label="May it be used?" className="mt-2 flex flex-wrap gap-1">
            {CLEARED.map(({ value, label }) => {
              const on = value === (cleared === null ? "unknown" : cleared ? "yes" : "no");
              return (
                <Button
                  key={value}
                  tone={on ? "solid" : "plain"}
                  aria-pressed={on}
                  onClick={() => void edit({ type: "set_credits", source: source.id, cleared: value })}
                >
                  {label}
                </Button>
              );
            })}
          </div>
          <Popover.Arrow className="fill-ink" />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Field({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  function done() {
    if (typed !== null && typed !== value) onChange(typed.trim());
    setTyped(null);
  }
  return (
    <label className="mb-1.5 grid grid-cols-[90px_1fr] items-center gap-2">
      <span className="text-ink2">{label}</span>
      <input
        className="min-w-0 rounded-[3px] border-[1.3px] border-ink bg-card px-1.5 py-0.5"
        value={typed ?? value}
        maxLength={label === "Year" ? 10 : 200}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => event.key === "Enter" && done()}
      />
    </label>
  );
}
