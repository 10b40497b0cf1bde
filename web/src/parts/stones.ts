export const STONES = 11;

/** Laid stones of the arch: in proportion, but full only when full and none only when none. */
export function stonesOf(taken: number, capacity: number): number {
  if (taken <= 0 || capacity <= 0) return 0;
  if (taken >= capacity) return STONES;
  return Math.min(STONES - 1, Math.max(1, Math.round((STONES * taken) / capacity)));
}

/** Positions from the left foot in the order in which stones are laid: from both feet to the keystone. */
export const LAYING = Array.from({ length: STONES }, (_, i) =>
  i % 2 === 0 ? i / 2 : STONES - 1 - (i - 1) / 2,
);
