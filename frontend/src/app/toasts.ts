import { create } from "zustand";

export interface ToastMessage {
  id: number;
  title: string;
  text?: string;
  tone: "note" | "error";
  action?: { label: string; run: () => void };
}

interface Toasts {
  toasts: ToastMessage[];
  dismiss: (id: number) => void;
}

let next = 1;

export const useToasts = create<Toasts>((set) => ({
  toasts: [],
  dismiss: (id) => set((s) => ({ toasts: s.toasts.filter((t) => t.id !== id) })),
}));

export function toast(message: Omit<ToastMessage, "id">): void {
  const id = next++;
  // The same thing said again replaces what was said.
  useToasts.setState((s) => ({ toasts: [...s.toasts.filter((t) => t.title !== message.title).slice(-2), { ...message, id }] }));
}
