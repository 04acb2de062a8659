/** How to cut: a policy with its few settings; the wave shows what they would cut before it is cut. */
import { ToggleGroup } from "radix-ui";

import type { Cutting, Policy, Snap, Source } from "../../api/types";
import { useParameter } from "../../app/about";
import { cutNow, cuttingOf, leaveCutting, POLICIES, setKeepHand, tryCutting, useCutting } from "../../app/cutting";
import { ordered, useOpenPocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Hint } from "../../design/Hint";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { CARD, ROLES, ROLE_NAMES } from "../../design/roles";
import { Slider } from "../../design/Slider";
import { Toggle } from "../../design/Toggle";
import { LiveSettings } from "./ByHand";

const STEPS: [number, string][] = [
  [0.25, "16ths"],
  [1 / 6, "16th triplets"],
  [0.5, "8ths"],
  [1 / 3, "8th triplets"],
  [0.75, "dotted 8ths"],
  [1, "beats"],
  [2, "half notes"],
];
const SNAPS: [Snap, string][] = [
  ["off", "as computed"],
  ["attack", "to attacks"],
  ["quiet", "to quiet points"],
];

export function Policies({ source }: { source: Source }) {
  const { trying, proposed } = useCutting();
  const keepHand = useView((s) => s.keepHand);
  const live = useView((s) => s.live);
  const cutting = cuttingOf(source, trying);
  const active = trying?.source === source.id;
  const set = (change: Partial<Cutting>) => tryCutting(source, change);
  const selected = useView((s) => s.selection?.source === source.id && s.selection.end > s.selection.start);
  return (
    <section aria-label="How to cut" className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-1.5">
        <ToggleGroup.Root
          type="single"
          aria-label="Cut by"
          value={cutting.by}
          onValueChange={(by) => by && set({ by: by as Policy })}
          className="flex gap-1.5"
        >
          {POLICIES.map(({ by, label, hint }) => (
            <Hint key={by} text={hint}>
              <ToggleGroup.Item
                value={by}
                className="rounded-[3px] border-[1.3px] border-ink bg-card px-2 py-[3px] text-[12px] whitespace-nowrap hover:bg-well aria-checked:bg-ink aria-checked:text-card"
              >
                {label}
              </ToggleGroup.Item>
            </Hint>
          ))}
        </ToggleGroup.Root>
        <span className="grow" />
        <Toggle on={keepHand} onChange={setKeepHand} hint="Cuts that you made, moved or named stay where they are">
          Keep my cuts
        </Toggle>
        {active ? (
          <Button
            tone="quiet"
            keys="Esc"
            hint="Leave the cuts as they are, and forget what is shown"
            onClick={leaveCutting}
          >
            Drop preview
          </Button>
        ) : null}
        <Button
          tone={active ? "go" : "plain"}
          keys="Shift Enter"
          disabled={active && Boolean(proposed?.problem)}
          hint={selected ? "Cut the selection like this" : "Cut the find like this"}
          onClick={() => void cutNow()}
        >
          {selected ? "Cut selection" : "Cut"}
        </Button>
      </div>
      <div className="flex min-h-[26px] flex-wrap items-center gap-x-2.5 gap-y-1 text-[12px]">
        {live ? <LiveSettings /> : <Settings cutting={cutting} source={source} set={set} />}
        <span className="grow" />
        <Count source={source} />
      </div>
    </section>
  );
}

/** How many slices there are, or would be. */
function Count({ source }: { source: Source }) {
  const { trying, proposed } = useCutting();
  const would = trying?.source === source.id ? proposed : null;
  const number = would && !would.problem ? would.at.length : source.cuts.length;
  const mine = would ? would.kept : source.cuts.filter((cut) => cut.by === "hand").length;
  if (would?.problem)
    return (
      <span role="status" className="min-w-0 text-right text-[11.5px] leading-[1.15]">
        {would.problem}
      </span>
    );
  return (
    <span className="whitespace-nowrap" role="status" data-testid="slice-count" data-would={would ? true : undefined}>
      {number} {number === 1 ? "slice" : "slices"}
      {would ? " if cut" : ""}
      <span className="text-ink2">{mine ? `, ${mine} of yours kept` : ""}</span>
    </span>
  );
}

function Settings({
  cutting,
  source,
  set,
}: {
  cutting: Cutting;
  source: Source;
  set: (change: Partial<Cutting>) => void;
}) {
  switch (cutting.by) {
    case "transients":
      return <Transients cutting={cutting} set={set} />;
    case "grid":
      return (
        <>
          <Step cutting={cutting} source={source} set={set} />
          <SnapMenu cutting={cutting} set={set} />
          <Shortest cutting={cutting} set={set} />
        </>
      );
    case "parts":
      return (
        <>
          <Field name="parts" cutting={cutting} set={set} />
          <SnapMenu cutting={cutting} set={set} />
        </>
      );
    case "chords":
      return (
        <>
          <span className="text-ink2">each at the attack that begins it</span>
          <Shortest cutting={cutting} set={set} />
        </>
      );
    case "phrases":
      return (
        <>
          <Menu
            label="What of a phrase"
            trigger={<Button>{cutting.phrase === "whole" ? "Whole phrases" : "Endings"} ▾</Button>}
            items={[
              { label: "Whole phrases", checked: cutting.phrase === "whole", onSelect: () => set({ phrase: "whole" }) },
              {
                label: "Endings: the last syllable",
                checked: cutting.phrase === "endings",
                onSelect: () => set({ phrase: "endings" }),
              },
            ]}
          />
          <Shortest cutting={cutting} set={set} />
        </>
      );
    case "copied":
      return <Copied cutting={cutting} source={source} set={set} />;
  }
}

type Part = { cutting: Cutting; set: (change: Partial<Cutting>) => void };

function Transients({ cutting, set }: Part) {
  const sensitivity = useParameter("chop", "sensitivity");
  const roles = new Set(cutting.roles);
  return (
    <>
      <span className="text-ink2">Sensitivity</span>
      <Slider
        className="w-28"
        parameter={sensitivity}
        value={cutting.sensitivity}
        onChange={(value) => set({ sensitivity: value })}
      />
      <NumberField
        parameter={sensitivity}
        value={cutting.sensitivity}
        onChange={(value) => set({ sensitivity: value })}
        label="Sensitivity in percent"
      />
      <Shortest cutting={cutting} set={set} />
      <ToggleGroup.Root
        type="multiple"
        aria-label="Roles to keep; none for all"
        value={[...roles]}
        onValueChange={(value) => set({ roles: value as Cutting["roles"] })}
        className="flex"
      >
        {ROLE_NAMES.map((role) => (
          <Hint key={role} text={`Keep transients that are ${role}; none chosen keeps all`}>
            <ToggleGroup.Item
              value={role}
              aria-label={`Keep ${role}`}
              className="w-[22px] border border-r-0 border-rule bg-card py-[2px] last:border-r first:rounded-l-[3px] last:rounded-r-[3px] aria-pressed:bg-ink"
              style={{ color: roles.has(role) ? CARD : ROLES[role].color }}
            >
              {ROLES[role].glyph}
            </ToggleGroup.Item>
          </Hint>
        ))}
      </ToggleGroup.Root>
    </>
  );
}

function Step({ cutting, source, set }: Part & { source: Source }) {
  const step = useParameter("chop", "step");
  const bar = source.grid?.beats_per_bar ?? 4;
  const steps: [number, string][] = [...STEPS, [bar, "bars"], [bar * 2, "2 bars"]];
  const known = steps.find(([beats]) => Math.abs(beats - cutting.step) < 1e-4);
  return (
    <>
      <Menu
        label="Length of a slice"
        trigger={<Button>Every: {known?.[1] ?? "so many beats"} ▾</Button>}
        items={steps.map(([beats, name]) => ({
          label: name,
          checked: known?.[0] === beats,
          onSelect: () => set({ step: beats }),
        }))}
      />
      <NumberField
        parameter={step}
        value={cutting.step}
        onChange={(value) => set({ step: value })}
        label="Beats of a slice, also as 3/4"
      />
    </>
  );
}

function Shortest({ cutting, set }: Part) {
  return <Field name="shortest" cutting={cutting} set={set} />;
}

function Field({ name, cutting, set }: Part & { name: "shortest" | "parts" }) {
  const parameter = useParameter("chop", name);
  return (
    <span className="inline-flex items-baseline gap-1 whitespace-nowrap">
      <span className="text-ink2">{parameter.label}</span>
      <NumberField parameter={parameter} value={cutting[name]} onChange={(value) => set({ [name]: value })} />
    </span>
  );
}

function SnapMenu({ cutting, set }: Part) {
  return (
    <Menu
      label="Where each cut goes"
      trigger={<Button>Cuts: {SNAPS.find(([snap]) => snap === cutting.snap)?.[1] ?? "as computed"} ▾</Button>}
      items={SNAPS.map(([snap, label]) => ({ label, checked: cutting.snap === snap, onSelect: () => set({ snap }) }))}
    />
  );
}

function Copied({ cutting, source, set }: Part & { source: Source }) {
  const pocket = useOpenPocket();
  const others = ordered(pocket?.sources ?? {}).filter((other) => other.id !== source.id && other.cuts.length);
  const chosen = others.find((other) => other.id === cutting.other);
  const offset = {
    name: "offset",
    label: "Offset",
    unit: "samples",
    low: -1e8,
    high: 1e8,
    default: 0,
    step: 100,
    digits: 0,
    help: "Sample of the other find at which this one begins",
  };
  return (
    <>
      <Menu
        label="Whose cuts"
        trigger={<Button>{chosen ? chosen.name : "Choose a find"} ▾</Button>}
        items={others.map((other) => ({
          label: `${other.name}, ${other.cuts.length} slices`,
          checked: other.id === cutting.other,
          onSelect: () => set({ other: other.id }),
        }))}
      />
      <Menu
        label="Aligned by"
        trigger={<Button>{cutting.align === "beats" ? "by beats" : "by offset"} ▾</Button>}
        items={[
          {
            label: "by beats, from bar one on",
            checked: cutting.align === "beats",
            onSelect: () => set({ align: "beats" }),
          },
          {
            label: "by an offset in samples",
            checked: cutting.align === "offset",
            onSelect: () => set({ align: "offset" }),
          },
        ]}
      />
      {cutting.align === "offset" ? (
        <NumberField parameter={offset} value={cutting.offset} onChange={(value) => set({ offset: value })} />
      ) : null}
    </>
  );
}
