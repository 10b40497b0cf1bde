import type { Schemas } from "../../app/server";
import { Inset } from "../../parts/layout";
import { P, T } from "../../parts/words";

/** A letter as it would go out. */
export function Letter({ letter }: { letter: Schemas["LetterOut"] }) {
  return (
    <Inset role="status" aria-label={letter.to ? `Letter to ${letter.to}` : undefined}>
      {letter.to && (
        <T tone="slate" as="div">
          To {letter.to}
          {letter.email ? `, ${letter.email}` : ": no email, so nothing is sent"}
        </T>
      )}
      <P strong sx={{ margin: "2px 0" }}>
        {letter.subject}
      </P>
      <P sx={{ whiteSpace: "pre-line", margin: 0 }}>{letter.text.trim()}</P>
    </Inset>
  );
}
