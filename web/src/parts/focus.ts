import { useEffect, useRef } from "react";

/**
 * Where the focus goes when what had it is gone: to what came of an act, else back to the button that had opened what was
 * left. Buttons are drawn anew meanwhile, so one is known by its name.
 */

const nameOf = (button: Element) => button.getAttribute("aria-label") ?? button.textContent ?? "";
let pressed = "";
document.addEventListener(
  "click",
  (e) => {
    const button = e.target instanceof Element ? e.target.closest("button") : null;
    if (button) pressed = nameOf(button);
  },
  true,
);

function lost(): boolean {
  return document.activeElement === null || document.activeElement === document.body;
}

/** The last button that was pressed, by name: whoever opens remembers it. */
export function opener(): string {
  return pressed;
}

/** Takes the focus back to a button of this name, if nothing else has it. */
export function focusBack(name: string) {
  setTimeout(() => {
    if (!name || !lost()) return;
    const buttons = [...document.querySelectorAll<HTMLElement>("main button, aside button")];
    buttons.find((b) => nameOf(b) === name && !b.hasAttribute("disabled"))?.focus({ preventScroll: true });
  }, 40);
}

/** What came of an act takes the focus when the button that did it is gone. */
export function useResultFocus<E extends HTMLElement>(result: unknown) {
  const place = useRef<E>(null);
  useEffect(() => {
    const timer = setTimeout(() => lost() && place.current?.focus({ preventScroll: true }), 10);
    return () => clearTimeout(timer);
  }, [result]);
  return place;
}

/** A form that is left gives the focus back to the button that opened it. */
export function useFocusBack() {
  const by = useRef("");
  useEffect(() => {
    by.current = opener();
    return () => focusBack(by.current);
  }, []);
}
