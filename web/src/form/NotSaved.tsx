import { P } from "../parts/words";

/** Says that what stands in a form is not what holds, until it is confirmed or dropped; also after a reload. */
export function NotSaved({ what, then }: { what: string; then: string }) {
  return (
    <P tone="ochre" strong role="status" sx={{ margin: "8px 0" }}>
      Not saved yet: {what}. {then}
    </P>
  );
}
