import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { ApiError } from "./api/client";
import { App } from "./app/App";
import { idle } from "./app/edits";
import { usePocket } from "./app/pocket";
import { queries } from "./app/queries";
import { toast } from "./app/toasts";
import { useView } from "./app/view";
import { audio, timings } from "./audio/engine";
import { loopWorkletUrl } from "./audio/line";
import { loopPlayer, useLoop } from "./audio/loop";
import { songPlayer, useSong } from "./audio/song";
import { previewPlayer, usePreview } from "./audio/preview";
import { tapePlayer, tapeWorkletUrl, useTape } from "./audio/tape";
import { instrument, useNotes } from "./audio/instrument";
import { voices } from "./audio/voices";
import "./design/tokens.css";
import { usePrint } from "./design/print";

declare global {
  interface Window {
    /** What tests and benchmarks look at. */
    grainpocket: unknown;
  }
}
window.grainpocket = {
  audio,
  timings,
  loopPlayer,
  tapePlayer,
  previewPlayer,
  songPlayer,
  instrument,
  useLoop,
  useNotes,
  useSong,
  voices,
  usePocket,
  usePreview,
  useTape,
  useView,
  idle,
  loopWorkletUrl,
  tapeWorkletUrl,
};

// Whatever was asked for and nobody waits for: that it was not done is said all the same.
window.addEventListener("unhandledrejection", ({ reason }) => {
  if (reason instanceof ApiError) toast({ title: "Not done", text: reason.message, tone: "error" });
});

/** Laid out anew when the inks are turned round: canvases were painted with the others. */
function Printed() {
  return <App key={usePrint((s) => (s.night ? "night" : "day"))} />;
}

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Tooltip.Provider delayDuration={450} disableHoverableContent>
        <Printed />
      </Tooltip.Provider>
    </QueryClientProvider>
  </StrictMode>,
);
