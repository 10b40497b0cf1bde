import { LAYING, STONES, stonesOf } from "./stones";

const SIZES = { row: 44, heading: 104, hero: 168 };

function stone(i: number, inner: number, outer: number, gap: number): string {
  const from = Math.PI - (i * Math.PI) / STONES;
  const to = Math.PI - ((i + 1) * Math.PI) / STONES;
  const at = (r: number, a: number, push: number) => {
    const turn = a + push / r;
    return `${(50 + r * Math.cos(turn)).toFixed(2)},${(48 - r * Math.sin(turn)).toFixed(2)}`;
  };
  const half = gap / 2;
  return `M${at(inner, from, -half)} L${at(outer, from, -half)} L${at(outer, to, half)} L${at(inner, to, half)}Z`;
}

/**
 * The seats of a run as an arch of stones: laid ones are seats taken, the mark on the edge is the smallest
 * number, stones on the ground are those who wait. The figure stands next to it, always.
 */
export function Arch({
  taken,
  capacity,
  smallest = 0,
  waiting = 0,
  size = "row",
}: {
  taken: number;
  capacity: number;
  smallest?: number;
  waiting?: number;
  size?: keyof typeof SIZES;
}) {
  const laid = new Set(LAYING.slice(0, stonesOf(taken, capacity)));
  const full = taken >= capacity;
  const marked = smallest > 0 ? LAYING[Math.max(0, stonesOf(smallest, capacity) - 1)] : undefined;
  const angle = marked === undefined ? 0 : Math.PI - ((marked + 0.5) * Math.PI) / STONES;
  const width = SIZES[size];
  const ground = Math.min(waiting, 4);
  return (
    <svg
      width={width * (1 + ground * 0.11)}
      height={width * 0.64}
      viewBox={`0 0 ${100 + ground * 11} 64`}
      aria-hidden="true"
      focusable="false"
    >
      {Array.from({ length: STONES }, (_, i) => (
        <path
          key={i}
          d={stone(i, 25, 42, size === "row" ? 2.6 : 2)}
          fill={
            laid.has(i)
              ? full
                ? "var(--ag-palette-full)"
                : "var(--ag-palette-stone)"
              : "var(--ag-palette-sheet)"
          }
          stroke={laid.has(i) ? "none" : "var(--ag-palette-joint)"}
          strokeWidth={size === "row" ? 1.6 : 1}
        />
      ))}
      <rect
        x="7"
        y="50"
        width="19"
        height="12"
        fill="var(--ag-palette-foot)"
        stroke="var(--ag-palette-joint)"
        strokeWidth="1"
      />
      <rect
        x="74"
        y="50"
        width="19"
        height="12"
        fill="var(--ag-palette-foot)"
        stroke="var(--ag-palette-joint)"
        strokeWidth="1"
      />
      {marked !== undefined && (
        <line
          x1={50 + 43.5 * Math.cos(angle)}
          y1={48 - 43.5 * Math.sin(angle)}
          x2={50 + 49.5 * Math.cos(angle)}
          y2={48 - 49.5 * Math.sin(angle)}
          stroke="var(--ag-palette-copper)"
          strokeWidth={size === "row" ? 3.4 : 2.4}
        />
      )}
      {Array.from({ length: ground }, (_, i) => (
        <rect
          key={i}
          x={97 + i * 11}
          y="54"
          width="8"
          height="8"
          fill="var(--ag-palette-sheet)"
          stroke="var(--ag-palette-ochre)"
          strokeWidth="1.6"
        />
      ))}
    </svg>
  );
}

/** The arch as a mark: what is done is filled, what is to do is an outline. */
export function Gatelet({ done = false, width = 18 }: { done?: boolean; width?: number }) {
  return (
    <svg width={width} height={width} viewBox="0 0 24 24" aria-hidden="true" focusable="false">
      <path
        d="M2 22V12a10 10 0 0 1 20 0v10h-6V12a4 4 0 0 0-8 0v10z"
        fill={done ? "#1F6F66" : "var(--ag-palette-sheet)"}
        stroke="var(--ag-palette-verdigris)"
        strokeWidth="1.5"
      />
    </svg>
  );
}
