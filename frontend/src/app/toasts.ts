import { create } from "zustand";

export interface ToastMessage {
  id: number;
  title: string;
  text?: string;
  tone: "note" | "error";
  /** Stands until it is answered. */
  stays?: boolean;
  action?: { label: string; run: () => void };
}

interface Toasts {
  toasts: ToastMessage[];
  dismiss: (id: number) => void;
}

let next = 1;
const MOST = 3;

export const useToasts = create<Toasts>((set) => ({
  toasts: [],
  dismiss: (id) => set((s) => ({ toasts: s.toasts.filter((t) => t.id !== id) })),
}));

export function toast(message: Omit<ToastMessage, "id">): void {
  const id = next++;
  // The same thing said again replaces what was said; what waits for an answer is not pushed out.
  useToasts.setState((s) => {
    const others = s.toasts.filter((t) => t.title !== message.title);
    const staying = others.filter((t) => t.stays);
    return { toasts: [...staying, ...others.filter((t) => !t.stays).slice(1 - MOST), { ...message, id }] };
  });
}

/** Take back what was said, when it is no longer so. */
export function unsay(title: string): void {
  useToasts.setState((s) =>
    s.toasts.some((t) => t.title === title) ? { toasts: s.toasts.filter((t) => t.title !== title) } : s,
  );
}
