import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { App } from "./app/App";
import { usePocket } from "./app/pocket";
import { queries } from "./app/queries";
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
  loopWorkletUrl,
  tapeWorkletUrl,
};

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Tooltip.Provider delayDuration={450} disableHoverableContent>
        <App />
      </Tooltip.Provider>
    </QueryClientProvider>
  </StrictMode>,
);
