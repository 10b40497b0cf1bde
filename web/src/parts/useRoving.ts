import { type KeyboardEvent, useEffect, useRef } from "react";

/**
 * However many buttons a list has, it is one stop of the Tab key: up and down go from line to line, left and right within one,
 * Home and End to the first and last. `within` says what a line is. Fields in an open line keep their own keys.
 */
export function useRoving<L extends HTMLElement>(within: string) {
  const list = useRef<L>(null);
  const last = useRef<HTMLElement | null>(null);
  const buttons = () => [...(list.current?.querySelectorAll<HTMLElement>("button") ?? [])];
  const settle = (at?: HTMLElement) => {
    const all = buttons();
    const held = at ?? (last.current && all.includes(last.current) ? last.current : all[0]);
    last.current = held ?? null;
    for (const button of all) button.tabIndex = button === held ? 0 : -1;
  };
  useEffect(() => settle());
  const onKeyDown = (e: KeyboardEvent) => {
    const from = e.target as HTMLElement;
    if (from.tagName !== "BUTTON") return;
    const all = buttons();
    const lines = [...(list.current?.querySelectorAll(within) ?? [])].map((line) =>
      all.filter((button) => line.contains(button)),
    );
    const row = lines.findIndex((line) => line.includes(from));
    const place = lines[row]?.indexOf(from) ?? -1;
    const beside = (n: number) => {
      const others = lines.filter((line, i) => line.length > 0 && (n > 0 ? i > row : i < row));
      const line = n > 0 ? others[0] : others[others.length - 1];
      return line?.[Math.min(place, line.length - 1)];
    };
    const to = {
      ArrowDown: () => beside(1),
      ArrowUp: () => beside(-1),
      ArrowRight: () => lines[row]?.[place + 1],
      ArrowLeft: () => lines[row]?.[place - 1],
      Home: () => all[0],
      End: () => all[all.length - 1],
    }[e.key];
    if (!to) return;
    e.preventDefault();
    const next = to();
    if (!next) return;
    settle(next);
    next.focus();
  };
  const onFocus = (e: { target: EventTarget }) => {
    const at = e.target as HTMLElement;
    if (at.tagName === "BUTTON") settle(at);
  };
  return { ref: list, onKeyDown, onFocus };
}
