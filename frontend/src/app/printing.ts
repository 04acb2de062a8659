/** Prints and exports: jobs that the worker does. */
import { api, ApiError, ask } from "../api/client";
import type { Recipe } from "../api/types";
import { noteJob } from "./events";
import { usePocket } from "./pocket";
import { toast } from "./toasts";

export async function print(recipe: Recipe): Promise<void> {
  const open = usePocket.getState().open;
  if (!open) return;
  try {
    noteJob(
      await ask(api.POST("/api/pockets/{pocket}/prints", { params: { path: { pocket: open.id } }, body: recipe })),
    );
    toast({ title: "Printing", text: "It comes to the finds when it is ready.", tone: "note" });
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    toast({ title: "Not printed", text: error.message, tone: "error" });
  }
}
