import { useParameter } from "../../../app/about";
import { measureDelay, useMeasuring } from "../../../app/latency";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { NumberField } from "../../../design/NumberField";

/** How late presses arrive, by number or measured. */
export function LatencyTool() {
  const delay = useParameter("chop", "latency");
  const delayMs = useView((s) => s.delayMs) ?? delay.default;
  const left = useMeasuring((s) => s.left);
  return (
    <>
      <span className="text-ink2">input delay</span>
      <NumberField
        parameter={delay}
        label="Input delay"
        value={delayMs}
        onChange={(value) => useView.getState().look({ delayMs: value })}
      />
      <Button
        tone={left ? "play" : "plain"}
        hint="Tap any pad along with ten clicks"
        onClick={() => void measureDelay()}
      >
        {left ? `Tap along: ${left}` : "Measure"}
      </Button>
    </>
  );
}
