import { useSyncExternalStore } from "react";

function follow(changed: () => void): () => void {
  window.addEventListener("resize", changed);
  return () => window.removeEventListener("resize", changed);
}

/** Something of the window's size, followed as it changes. */
export function useWindow<T extends number | boolean>(read: () => T): T {
  return useSyncExternalStore(follow, read);
}
