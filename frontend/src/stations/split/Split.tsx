/** Split: the record peeled. Its stems lie under its own wave, on one time line; each with its level, place and bands. */
import type { Source } from "../../api/types";
import { ordered, usePocket } from "../../app/pocket";
import { Ask } from "./Ask";
import { Together } from "./Together";
import { Unparted } from "./Unparted";

export function Split({ source, rate }: { source: Source; rate: number }) {
  const open = usePocket((s) => s.open);
  const root = (source.kin && open?.pocket.sources[source.kin.root]) || source;
  const members = ordered(open?.pocket.sources ?? {}).filter((one) => one.kin?.root === root.id);
  return (
    <div className="flex min-h-0 grow flex-col px-4 pt-2.5 pb-2">
      <Ask source={root} rate={rate} />
      {members.length ? <Together root={root} members={members} rate={rate} /> : <Unparted source={root} rate={rate} />}
    </div>
  );
}
