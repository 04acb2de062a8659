/** What lies over the hits: swing, feel, what strays; until it is written in. */
import type { FeelUse } from "../../../api/types";
import { useAbout, useParameter } from "../../../app/about";
import { currentSource } from "../../../app/actions";
import { edit } from "../../../app/edits";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { type Item, Menu } from "../../../design/Menu";
import { NumberField } from "../../../design/NumberField";
import type { ToolProps } from "./Tools";

/** The feels there are: the pocket's, then our own. */
export function useFeels(pocket: ToolProps["pocket"]): { id: string; name: string }[] {
  const ours = useAbout()?.feels ?? [];
  return [...Object.values(pocket.feels), ...ours].map(({ id, name }) => ({ id, name }));
}

export function FeelTools({ pattern, pocket }: ToolProps) {
  const feels = useFeels(pocket);
  const place = useParameter("feel", "place");
  const accent = useParameter("feel", "accent");
  const loose = useParameter("pattern", "loose");
  const uneven = useParameter("pattern", "uneven");
  useView((s) => s.source);
  const source = currentSource();
  const set = (change: object, gesture?: string) =>
    void edit({ type: "set_pattern", pattern: pattern.id, ...change }, gesture);
  const lay = (feel: string | null) =>
    set({
      feel: feel ? { feel, place: pattern.feel?.place ?? 100, accent: pattern.feel?.accent ?? 100 } : null,
    });
  const turn = (change: Partial<FeelUse>, gesture: string) =>
    pattern.feel && set({ feel: { ...pattern.feel, ...change } }, gesture);
  const own = pattern.feel && pocket.feels[pattern.feel.feel];
  const felt = pattern.swing !== 50 || pattern.feel !== null || pattern.loose > 0 || pattern.uneven > 0;
  const items: (Item | null)[] = [
    { label: "None: as it is written", checked: !pattern.feel, onSelect: () => lay(null) },
    ...feels.map(({ id, name }) => ({ label: name, checked: pattern.feel?.feel === id, onSelect: () => lay(id) })),
    null,
    {
      label: source ? `Lift it from ${source.name}` : "Lift it from the find in view",
      disabled: !source?.cuts.length,
      onSelect: () => void lift(pattern.id),
    },
    ...(own ? [{ label: `Forget ${own.name}`, onSelect: () => void edit({ type: "remove_feel", feel: own.id }) }] : []),
  ];
  return (
    <>
      <Menu
        label="Steps that swing"
        trigger={
          <Button hint="Swing itself stands at the top">
            Swing on {pattern.swing_step >= 0.5 ? "8ths" : "16ths"} ▾
          </Button>
        }
        items={[
          { label: "8ths", checked: pattern.swing_step >= 0.5, onSelect: () => set({ swing_step: 0.5 }) },
          { label: "16ths", checked: pattern.swing_step < 0.5, onSelect: () => set({ swing_step: 0.25 }) },
        ]}
      />
      <Menu
        label="Feel"
        trigger={
          <Button hint="Timing and accents that lie over the hits">
            Feel: {feels.find(({ id }) => id === pattern.feel?.feel)?.name ?? "none"} ▾
          </Button>
        }
        items={items}
      />
      {pattern.feel ? (
        <>
          <span className="text-ink2">timing</span>
          <NumberField
            parameter={place}
            label="Timing of the feel"
            value={pattern.feel.place}
            onChange={(value, gesture) => turn({ place: value }, gesture)}
          />
          <span className="text-ink2">accents</span>
          <NumberField
            parameter={accent}
            label="Accents of the feel"
            value={pattern.feel.accent}
            onChange={(value, gesture) => turn({ accent: value }, gesture)}
          />
        </>
      ) : null}
      <span className="text-ink2" title={loose.help}>
        loose
      </span>
      <NumberField
        parameter={loose}
        label="Loose"
        value={pattern.loose}
        onChange={(value, gesture) => set({ loose: value }, gesture)}
      />
      <span className="text-ink2" title={uneven.help}>
        uneven
      </span>
      <NumberField
        parameter={uneven}
        label="Uneven"
        value={pattern.uneven}
        onChange={(value, gesture) => set({ uneven: value }, gesture)}
      />
      {pattern.loose || pattern.uneven || pattern.hits.some((hit) => hit.when && hit.when.chance !== 100) ? (
        <Button hint="Strays and chances fall otherwise" onClick={() => set({ seed: (pattern.seed + 1) % 10000 })}>
          Other dice
        </Button>
      ) : null}
      <Button
        disabled={!felt}
        hint="Moves the hits to where they are heard; nothing lies over them any more"
        onClick={() => void edit({ type: "write_in", pattern: pattern.id })}
      >
        Write in
      </Button>
    </>
  );
}

/** The feel of the find in view, or of what is selected of it, laid over a pattern. */
async function lift(pattern: string): Promise<void> {
  const source = currentSource();
  if (!source) return;
  const { selection } = useView.getState();
  const span = selection?.source === source.id ? { start: selection.start, end: selection.end } : {};
  await edit({ type: "lift_feel", source: source.id, pattern, ...span });
}
