import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../../app/server";
import { Field, type FieldProps } from "../../form/Field";
import { Row } from "../../parts/layout";
import { T } from "../../parts/words";
import { ink } from "../../theme/palette";

/** Where Markdown is put as the public will see it: the staff’s address, or an instructor’s. */
export type Preview = "/api/v1/markdown" | "/api/v1/own/teaching/markdown";

/** A longer text that is written in Markdown, and how the public reads it. */
export function MarkdownField({
  preview,
  ...props
}: Pick<FieldProps, "label" | "value" | "onChange" | "onBlur" | "fault"> & { preview: Preview }) {
  const [shown, setShown] = useState(false);
  return (
    <div>
      <Field {...props} width="100%" multiline />
      <Row mid>
        <Button
          variant="text"
          aria-expanded={shown}
          disabled={props.value.trim() === ""}
          onClick={() => setShown(!shown)}
        >
          {shown ? "Fold the preview" : "As it will look"}
        </Button>
        {!shown && <T small>**bold**, *italic*, - a list, [words](https://…), # a heading</T>}
      </Row>
      {shown && <Shown text={props.value} preview={preview} />}
    </div>
  );
}

function Shown({ text, preview }: { text: string; preview: Preview }) {
  const query = useQuery({
    queryKey: ["markdown", text],
    queryFn: () => ask(api.POST(preview, { body: { text } })),
    placeholderData: (old) => old,
  });
  return (
    <Box
      sx={{ borderLeft: `3px solid ${ink.line}`, padding: "2px 0 2px 14px", fontSize: 16, lineHeight: 1.55 }}
      // Sanitized by the server.
      dangerouslySetInnerHTML={{ __html: query.data?.html ?? "" }}
    />
  );
}
