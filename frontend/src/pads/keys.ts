/** Which key plays which place of a page: by position on the keyboard, whatever is printed on it. */
import { create } from "zustand";

export const PAD_CODES = [
  "Digit1", "Digit2", "Digit3", "Digit4",
  "KeyQ", "KeyW", "KeyE", "KeyR",
  "KeyA", "KeyS", "KeyD", "KeyF",
  "KeyZ", "KeyX", "KeyC", "KeyV",
]; // prettier-ignore

export const PAGE = 16;

/** What is printed on those keys, as far as the browser tells. */
export const useKeyNames = create<{ names: string[] }>(() => ({ names: PAD_CODES.map((code) => code.slice(-1)) }));

interface KeyboardMap {
  get(code: string): string | undefined;
}

export function learnKeyNames(): void {
  const keyboard = (navigator as { keyboard?: { getLayoutMap?: () => Promise<KeyboardMap> } }).keyboard;
  void keyboard
    ?.getLayoutMap?.()
    .then((map) =>
      useKeyNames.setState({ names: PAD_CODES.map((code) => (map.get(code) ?? code.slice(-1)).toUpperCase()) }),
    )
    .catch(() => undefined);
}
