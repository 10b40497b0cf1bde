/** The colors by what they are for, by day and by night. */
export const DAY = {
  paper: "#F3EFE6",
  sheet: "#FFFDF8",
  ink: "#1F2A30",
  slate: "#55636B",
  line: "#D8D1C2",
  edge: "#8B8F86",
  verdigris: "#1F6F66",
  verdigrisPale: "#E8F1EC",
  onVerdigris: "#FFFDF8",
  copper: "#A8541F",
  brick: "#9E2F24",
  brickPale: "#F5DDD8",
  ochre: "#7A5E00",
  ochrePale: "#F2E8C8",
  stone: "#1F6F66",
  full: "#16524B",
  joint: "#B9B19F",
  foot: "#E4DDCD",
};

export const NIGHT: typeof DAY = {
  paper: "#171D20",
  sheet: "#1E2629",
  ink: "#ECE7DB",
  slate: "#A9B3B5",
  line: "#3A4448",
  edge: "#7D8788",
  verdigris: "#7CC4B8",
  verdigrisPale: "#23383A",
  onVerdigris: "#10201D",
  copper: "#E8A06F",
  brick: "#F0998C",
  brickPale: "#40292A",
  ochre: "#E0BF5C",
  ochrePale: "#3A3422",
  stone: "#5AA79A",
  full: "#8FD3C7",
  joint: "#6A7477",
  foot: "#2C3639",
};

export type Ink = keyof typeof DAY;

/** Each color as the custom property that the theme sets, by day and by night. */
export const ink = Object.fromEntries(
  Object.keys(DAY).map((name) => [name, `var(--ag-palette-${name})`]),
) as Record<Ink, string>;

export const serif = "'Literata Variable', Georgia, serif";
export const sans = "'Public Sans Variable', system-ui, sans-serif";
