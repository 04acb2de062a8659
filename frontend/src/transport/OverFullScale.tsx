/** What was written goes over full scale: said before it is taken, with the ways out. */
import type { Edit, Job } from "../api/types";
import { Button } from "../design/Button";
import { fixed } from "../design/format";

interface Props {
  job: Job;
  /** Of the master, in dB. */
  level: number;
  onEdit: (change: Edit) => void;
  onTake: () => void;
}

export function OverFullScale({ job, level, onEdit, onTake }: Props) {
  const over = job.over_db ?? 0;
  return (
    <div role="alert" className="mt-3 border-t border-rule pt-2">
      <p className="mb-2">Nothing is saved yet. {job.message}</p>
      <div className="flex flex-wrap gap-1.5">
        <Button tone="go" onClick={() => onEdit({ type: "set_pocket", level: Math.round(10 * (level - over)) / 10 })}>
          Turn down by {fixed(over, 1)} dB
        </Button>
        {level <= 0 ? (
          <Button onClick={() => onEdit({ type: "add_effect", bus: "master", kind: "limiter" })}>
            Limit the master
          </Button>
        ) : null}
        <Button onClick={onTake}>Save it clipped</Button>
      </div>
    </div>
  );
}
