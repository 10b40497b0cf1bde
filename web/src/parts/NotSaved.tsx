/** Says that what stands in a form is not what holds, until it is confirmed or dropped; also after a reload. */
export function NotSaved({ what, then }: { what: string; then: string }) {
  return (
    <p className="ochre strong" role="status">
      Not saved yet: {what}. {then}
    </p>
  );
}
