import { type CSSObject, styled } from "@mui/material/styles";
import TableCell from "@mui/material/TableCell";
import { shouldForwardProp } from "@mui/system";
import visuallyHidden from "@mui/utils/visuallyHidden";
import { Link } from "react-router";

import { ink, serif } from "../theme/palette";

/** Slate for what is beside the point, copper for money, brick for what is wrong or lost, ochre for what is due. */
export type Tone = "slate" | "copper" | "brick" | "ochre";

type Look = {
  tone?: Tone;
  strong?: boolean;
  right?: boolean;
  left?: boolean;
  nowrap?: boolean;
  /** A figure that is read from afar. */
  big?: boolean;
  /** What no longer holds. */
  gone?: boolean;
  /** Two things that cannot both be. */
  clash?: boolean;
  /** A word of help. */
  small?: boolean;
  /** The name of what stands below it. */
  label?: boolean;
  /** One line, cut where it ends; only for what may be cut. */
  cut?: boolean;
};
const LOOKS = new Set<PropertyKey>("tone strong right left nowrap big gone clash small label cut".split(" "));
const plain = { shouldForwardProp: (name: PropertyKey) => !LOOKS.has(name) && shouldForwardProp(name) };

function looks(look: Look): CSSObject {
  return {
    ...(look.tone && { color: ink[look.tone] }),
    ...(look.strong && { fontWeight: 600 }),
    ...(look.right && { textAlign: "right" }),
    ...(look.left && { textAlign: "left" }),
    ...(look.nowrap && { whiteSpace: "nowrap" }),
    ...(look.big && { font: `600 21px ${serif}` }),
    ...(look.gone && { textDecoration: "line-through", color: ink.slate }),
    ...(look.clash && { color: ink.brick, "&::before": { content: '"● "', fontSize: 9 } }),
    ...(look.small && { fontSize: 13, color: ink.slate }),
    ...(look.label && { fontSize: 13, color: ink.slate, marginBottom: 3 }),
    ...(look.cut && { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }),
  };
}

/** Words in a line, with a tone. */
export const T = styled("span", plain)<Look>(looks);

/** A paragraph with a tone. */
export const P = styled("p", plain)<Look>(looks);

/** A cell of a table; figures stand at the right. */
export const Cell = styled(TableCell, plain)<Look>(looks);

/** What is wrong, beside where it is. */
export const Fault = styled("div")({
  fontSize: 13,
  color: ink.brick,
  marginTop: 3,
  "&::before": { content: '"▲ "', fontSize: 10 },
});

/** Heard, not seen. */
export const Heard = styled("span")(visuallyHidden as CSSObject);

/** An input that is reached by what stands around it: a file behind a button. */
export const HiddenInput = styled("input")(visuallyHidden as CSSObject);

/** What stands where nothing is yet: what this is, and the first step. */
export const Empty = styled("div")({ color: ink.slate, padding: "20px 0", maxWidth: 560 });

/** A name that leads to its page. */
export const Name = styled(
  Link,
  plain,
)<{ strong?: boolean }>(({ strong }) => ({
  color: ink.ink,
  textDecoration: "none",
  fontWeight: strong ? 600 : undefined,
  "&:hover": { textDecoration: "underline" },
}));

/** A message as it is sent. */
export const Letter = styled("pre")({
  whiteSpace: "pre-wrap",
  font: "inherit",
  backgroundColor: ink.paper,
  padding: "10px 14px",
  margin: "6px 0 0",
});

export const NoteLine = styled(
  "div",
  plain,
)<Look>((look) => ({
  maxWidth: "34em",
  overflowWrap: "anywhere",
  whiteSpace: "pre-line",
  ...looks(look),
}));

/** The day or time at the head of a line. */
export const When = styled("span", plain)<Look>((look) => ({ width: 132, flex: "none", ...looks(look) }));
