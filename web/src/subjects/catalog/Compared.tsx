import { styled } from "@mui/material/styles";

import type { Schemas } from "../../app/server";
import { ink } from "../../theme/palette";

const Worded = styled("p")({
  whiteSpace: "pre-wrap",
  overflowWrap: "anywhere",
  maxWidth: 720,
  "& del": { color: ink.brick },
  "& ins": { background: ink.verdigrisPale, textDecoration: "underline" },
});

/** Fields of a text word by word: what went is struck out, what came is underlined. */
export function Compared({
  fields,
  heading: Heading = "h3",
}: {
  fields: Schemas["FieldCompared"][];
  heading?: "h2" | "h3";
}) {
  return fields.map((f) => (
    <div key={f.field}>
      <Heading style={{ fontSize: 16 }}>{f.label}</Heading>
      <Worded>
        {f.pieces.map((piece, i) =>
          piece.part === "gone" ? (
            <del key={i}>{piece.text}</del>
          ) : piece.part === "new" ? (
            <ins key={i}>{piece.text}</ins>
          ) : (
            <span key={i}>{piece.text}</span>
          ),
        )}
      </Worded>
    </div>
  ));
}
