/** That a recording goes on, wherever in the house one is, and the way to end it. */
import { useView } from "../app/view";
import { recorder, useRecorder } from "../audio/recorder";
import { clock } from "../design/format";
import { Hint } from "../design/Hint";

export function Recording() {
  const recording = useRecorder((s) => s.recording);
  const seconds = useRecorder((s) => Math.floor(s.seconds));
  if (!recording) return null;
  const stop = async () => {
    const kept = await recorder.stop();
    const { look } = useView.getState();
    // Where it could not be brought in, the panel says why and offers it again.
    look(kept ? { recording: false } : { recording: true, findsOpen: true, findsShut: false });
    if (kept) recorder.close();
  };
  return (
    <Hint text="Stop recording; it is kept among the finds">
      <button
        type="button"
        aria-label="Stop recording and keep it"
        onClick={() => void stop()}
        className="h-8 rounded-[4px] bg-now px-2 text-[13px] font-semibold whitespace-nowrap text-card tabular-nums"
      >
        ● {clock(seconds).split(".")[0]}
      </button>
    </Hint>
  );
}
