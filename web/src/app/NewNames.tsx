import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { useEffect, useState } from "react";

import { Row } from "../parts/layout";
import { onUnknownNames, type UnknownName } from "./server";

type Question = { names: UnknownName[]; answer: (yes: boolean) => void };

/** A place or an instructor whom nobody has named before is added only after a question. */
export function NewNames() {
  const [question, setQuestion] = useState<Question | null>(null);
  useEffect(() => onUnknownNames((names) => new Promise((answer) => setQuestion({ names, answer }))), []);
  const say = (yes: boolean) => {
    question?.answer(yes);
    setQuestion(null);
  };
  return (
    <Dialog open={question !== null} onClose={() => say(false)} aria-labelledby="new-names">
      <h2 id="new-names">
        Nobody has used {question?.names.length === 1 ? "this name" : "these names"} so far
      </h2>
      <ul>
        {question?.names.map((n) => (
          <li key={n.kind + n.name}>
            the {n.kind} <strong>“{n.name}”</strong>
            {n.hint}
          </li>
        ))}
      </ul>
      <Row sx={{ marginTop: 12 }}>
        <Button variant="contained" onClick={() => say(true)} autoFocus>
          Add {question?.names.length === 1 ? "it" : "them"}
        </Button>
        <Button onClick={() => say(false)}>Go back and mend</Button>
      </Row>
    </Dialog>
  );
}
