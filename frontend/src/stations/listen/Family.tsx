/** What a find belongs to: the mix a stem came from, the record a cleaned copy was made of. */
import { useState } from "react";

import { api, ask } from "../../api/client";
import type { Source } from "../../api/types";
import { showSource } from "../../app/actions";
import { edit } from "../../app/edits";
import { ordered, usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { Button } from "../../design/Button";
import { fixed } from "../../design/format";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";

const OFFSET = {
  name: "offset",
  label: "Begins at",
  unit: "samples",
  low: -1e8,
  high: 1e8,
  default: 0,
  step: 1,
  digits: 0,
  help: "Sample of the mix at which it begins",
};

export function Family({ source, rate }: { source: Source; rate: number }) {
  const open = usePocket((s) => s.open);
  const [busy, setBusy] = useState(false);
  if (!open) return null;
  const all = open.pocket.sources;
  const root = source.kin ? all[source.kin.root] : undefined;
  const members = ordered(all).filter((s) => s.kin?.root === source.id);
  const others = ordered(all).filter((s) => s.id !== source.id && s.id !== root?.id && s.kin?.root !== source.id);

  async function join(other: Source) {
    setBusy(true);
    try {
      const found = await ask(
        api.GET("/api/pockets/{pocket}/sources/{source}/kinship/{other}", {
          params: { path: { pocket: open?.id ?? "", source: source.id, other: other.id } },
        }),
      );
      if (!found.related) {
        toast({
          title: `${source.name} is not in ${other.name}`,
          text: `At their best they are ${Math.round(found.likeness * 100)} % alike. Nothing was joined.`,
          tone: "note",
          stays: true,
          action: {
            label: "Join at sample 0",
            run: () => void edit({ type: "join_family", source: source.id, root: other.id, offset: 0 }),
          },
        });
        return;
      }
      await edit({
        type: "join_family",
        source: source.id,
        root: other.id,
        offset: found.offset,
        likeness: found.likeness,
      });
    } catch (error) {
      toast({ title: "They could not be compared", text: (error as Error).message, tone: "error" });
    } finally {
      setBusy(false);
    }
  }

  return (
    <section aria-label="Family" className="mt-1.5 flex flex-col items-start gap-0.5">
      {root && source.kin ? (
        <p>
          {source.kin.kind === "cleaned" ? "cleaned copy of " : "stem of "}
          <Name of={root} />
          <span className="text-ink2">{where(source.kin.offset, rate)}</span>{" "}
          <NumberField
            parameter={OFFSET}
            value={source.kin.offset}
            onChange={(offset, gesture) =>
              void edit(
                {
                  type: "join_family",
                  source: source.id,
                  root: root.id,
                  offset: Math.round(offset),
                  likeness: source.kin?.likeness ?? null,
                },
                gesture,
              )
            }
          />{" "}
          <Button
            tone="quiet"
            className="!px-1 !py-0"
            hint="Let it go its own way"
            aria-label="Leave the family"
            onClick={() => void edit({ type: "leave_family", source: source.id })}
          >
            ×
          </Button>
        </p>
      ) : null}
      {members.map((member) => (
        <p key={member.id}>
          <span className="text-ink2">{member.kin?.kind === "cleaned" ? "cleaned: " : "stem: "}</span>
          <Name of={member} />
          <span className="text-ink2">{where(member.kin?.offset ?? 0, rate)}</span>
        </p>
      ))}
      {others.length && !root ? (
        <Menu
          label="Find that it belongs to"
          trigger={
            <Button disabled={busy} hint="Join a stem to its mix: where it lies in it is found by ear">
              {busy ? "Comparing ..." : "Belongs to ▾"}
            </Button>
          }
          items={others.map((other) => ({ label: other.name, onSelect: () => void join(other) }))}
        />
      ) : null}
    </section>
  );
}

function Name({ of }: { of: Source }) {
  return (
    <button
      type="button"
      className="font-semibold underline decoration-rule underline-offset-2 hover:decoration-ink"
      onClick={() => showSource(of.id)}
    >
      {of.name}
    </button>
  );
}

function where(offset: number, rate: number): string {
  if (offset === 0) return ", to the sample";
  const ms = (offset / rate) * 1000;
  return `, ${fixed(Math.abs(ms), Math.abs(ms) < 100 ? 2 : 0)} ms (${Math.abs(offset)} samples) ${offset > 0 ? "in" : "before it"}`;
}
