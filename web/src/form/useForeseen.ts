import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { newKey } from "../app/server";
import { useSettled } from "../app/session";

/**
 * An act whose outcome is worked out before it is done: the server says what `wish` would do while it is still being typed
 * (`preview`; null is a wish that is not whole yet), and `act` does it, once, at what was shown. A change of the wish
 * dismisses what was wrong with the one before, and is sent under another key. `stays` says whether the preview before
 * may stand while the next is worked out.
 */
export function useForeseen<W, P, A>({
  name,
  wish,
  see,
  send,
  done,
  stays = () => true,
}: {
  name: (string | number)[];
  wish: W | null;
  see: (wish: W) => Promise<P>;
  send: (wish: W, key: string, preview: P) => Promise<A>;
  done: (answer: A) => void;
  stays?: (before: P) => boolean;
}) {
  const asked = JSON.stringify(wish);
  const settled = useSettled(asked, 150);
  const [key, setKey] = useState({ asked, key: newKey() });
  if (key.asked !== asked) setKey({ asked, key: newKey() });
  const [wrong, setWrong] = useState<{ asked: string; error: unknown } | null>(null);
  const [busy, setBusy] = useState(false);
  const sending = useRef(false);
  const query = useQuery({
    queryKey: [...name, settled],
    queryFn: () => see(JSON.parse(settled) as W),
    enabled: settled !== "null",
    retry: false,
    placeholderData: (old) => (old !== undefined && stays(old) ? old : undefined),
  });
  const preview = query.error || wish === null ? undefined : query.data;
  const ready = preview !== undefined && asked === settled && !query.isPlaceholderData;
  const act = async () => {
    if (!ready || wish === null || sending.current) return;
    sending.current = true;
    setBusy(true);
    try {
      const answer = await send(wish, key.key, preview);
      setWrong(null);
      done(answer);
    } catch (error) {
      setWrong({ asked, error });
      void query.refetch();
    } finally {
      sending.current = false;
      setBusy(false);
    }
  };
  return {
    preview,
    /** What is shown is the outcome of what is typed now. */
    ready: ready && !busy,
    trouble: (wrong?.asked === asked ? wrong.error : null) ?? (wish === null ? null : query.error),
    act,
  };
}
