/**
 * Who has the keyboard. What was reached with Tab keeps it, as everywhere on the web: there Space presses and arrows move. What
 * was clicked gives it back at once, so that the keys of the sheet do what they say, whatever was clicked before.
 */

/** Elements that the keyboard led to. */
const reached = new WeakSet<Element>();
/** How the musician last went somewhere: what a script focuses then belongs to the same hand. */
let way: "pointer" | "keys" = "pointer";
let tabbing = false;
/** When the pointer was last put down, while nothing was typed since: what has the focus then has it from the click. */
let pressed = -Infinity;
const CLICK_MS = 150;
let down = false;
/** What the click that goes on has focused. */
let held: HTMLElement | null = null;

const TEXT = "input:not([type=file]), textarea, select, [contenteditable=true]";
/** What a click leaves without the keyboard. Lists, grids and waves keep it, for their own arrows. */
const PRESSED = "button, a, summary, [role=tab], [role=switch], [role=radio], [role=slider]";

/** Whether a panel or menu was open as the key went down: Escape is for it, and it may be gone by the time it is asked for. */
let panel = false;

export function hadPanel(): boolean {
  return panel;
}

/** Whether the hand that is at work now is on the keyboard. */
export function byKeys(): boolean {
  return way === "keys";
}

export function isReached(element: Element | null): boolean {
  return element !== null && reached.has(element);
}

export function isText(element: Element | null): boolean {
  return Boolean(element?.closest(TEXT));
}

/** A number being typed: a space is no part of one, and belongs to the transport. */
export function isNumber(element: Element | null): boolean {
  return element?.getAttribute("role") === "spinbutton";
}

function onKeyDown(event: KeyboardEvent): void {
  tabbing = event.key === "Tab";
  pressed = -Infinity;
  panel = document.querySelector("[role=dialog], [role=menu]") !== null;
  if (tabbing || isReached(document.activeElement)) way = "keys";
  // A search or a name keeps what was typed and lets go.
  const target = event.target as HTMLElement | null;
  if ((event.key === "Enter" || event.key === "Escape") && target && isText(target) && !target.closest("[role=dialog]"))
    setTimeout(() => target.blur());
}

function onPointerDown(event: PointerEvent): void {
  tabbing = false;
  way = "pointer";
  pressed = performance.now();
  down = true;
  for (let at = event.target as Element | null; at; at = at.parentElement) reached.delete(at);
}

function onPointerUp(): void {
  down = false;
  // A click focuses what it opens after the button has come up.
  pressed = performance.now();
  if (held === document.activeElement) held?.blur();
  held = null;
}

function onFocusIn(event: FocusEvent): void {
  const target = event.target as HTMLElement;
  // What neither a click nor a key led to, an aid did: it is to keep the keyboard too.
  if (way === "keys" || performance.now() - pressed > CLICK_MS) reached.add(target);
  else if (target.matches(PRESSED) && !target.closest("[role=menu]")) {
    // While the button is down it may yet be dragged: what loses the focus cannot be.
    if (down) held = target;
    else target.blur();
  }
}

/** Watch for as long as the page lives; returns how to stop. */
export function watchFocus(): () => void {
  window.addEventListener("keydown", onKeyDown, true);
  window.addEventListener("pointerdown", onPointerDown, true);
  for (const kind of ["pointerup", "pointercancel", "dragend"]) window.addEventListener(kind, onPointerUp, true);
  window.addEventListener("focusin", onFocusIn);
  return () => {
    window.removeEventListener("keydown", onKeyDown, true);
    window.removeEventListener("pointerdown", onPointerDown, true);
    for (const kind of ["pointerup", "pointercancel", "dragend"]) window.removeEventListener(kind, onPointerUp, true);
    window.removeEventListener("focusin", onFocusIn);
  };
}
