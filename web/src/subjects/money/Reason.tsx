import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";

/** A reason, asked where the act is. */
export function Reason({
  label,
  act,
  onSend,
  onClose,
}: {
  label: string;
  act: string;
  onSend: (why: string) => Promise<void>;
  onClose: () => void;
}) {
  const form = useServerForm({
    draft: null,
    start: { why: "" },
    send: ({ why }) => onSend(why),
    done: () => undefined,
  });
  return (
    <Form of={form} onLeave={onClose}>
      <Field label={label} width={220} autoFocus {...form.field("why")} />
      <Ends of={form} act={act} onLeave={onClose} />
    </Form>
  );
}
