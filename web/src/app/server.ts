import createClient from "openapi-fetch";
import createQueries from "openapi-react-query";

import type { components, paths } from "../api/schema";

export type Schemas = components["schemas"];
export type Fault = Schemas["FaultOut"];

/** What the server answered when it could not do what was asked (RFC 9457). */
export class ServerProblem extends Error {
  constructor(
    readonly status: number,
    readonly kind: string,
    message: string,
    readonly faults: Fault[],
    readonly extra: Record<string, unknown>,
  ) {
    super(message);
  }
}

export type UnknownName = { kind: string; name: string; hint: string };
type AskNames = (names: UnknownName[]) => Promise<boolean>;
let askNames: AskNames = () => Promise.resolve(false);
const NEW_NAMES = "Archgate-New-Names";
/** Names that somebody wants added, as far as this window knows: asked about once. */
const wanted = new Set<string>();

/** Who asks before a new place or instructor is added. */
export function onUnknownNames(ask: AskNames): () => void {
  askNames = ask;
  return () => {
    askNames = () => Promise.resolve(false);
  };
}

/** Sends a request; where it names a place or an instructor that is not known, asks, and sends it again with the answer. */
async function fetchAsking(request: Request): Promise<Response> {
  const again = request.clone();
  const send = (held: Request) => {
    if (wanted.size) held.headers.set(NEW_NAMES, [...wanted].map(encodeURIComponent).join(","));
    return fetch(held);
  };
  const answer = await send(request);
  if (answer.status !== 409) return answer;
  const problem = (await answer
    .clone()
    .json()
    .catch(() => ({}))) as { type?: string; names?: UnknownName[] };
  if (!problem.type?.endsWith(":unknown-name") || !problem.names) return answer;
  if (!(await askNames(problem.names))) return answer;
  for (const { name } of problem.names) wanted.add(name);
  return send(again);
}

const client = createClient<paths>({ baseUrl: window.location.origin, fetch: fetchAsking });
client.use({
  async onResponse({ response }) {
    if (response.ok) return;
    const problem = (await response.json().catch(() => ({}))) as Partial<Schemas["ProblemOut"]>;
    const kind = problem.type?.split(":").pop() ?? "";
    if (kind === "signed-out") window.dispatchEvent(new Event("signed-out"));
    throw new ServerProblem(
      response.status,
      kind,
      problem.detail ?? "Something went wrong on our side; nothing was saved. Please try again.",
      problem.errors ?? [],
      problem as Record<string, unknown>,
    );
  },
  onError({ error }) {
    if (error instanceof ServerProblem || (error instanceof Error && error.name === "AbortError")) return;
    const said = "The server does not answer. What you typed is kept; try again.";
    return new ServerProblem(0, "unreachable", said, [], {});
  },
});
export const api = client;

/** Questions to the server, each kept under its own address: `$api.useQuery("get", "/api/v1/stock")`. */
export const $api = createQueries(client);

/** The answer's content. What went wrong was thrown: a `ServerProblem`, also where the server does not answer. */
export async function ask<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}

/** A key made when a form opens and kept with its draft: sending twice is done once. */
export function newKey(): string {
  return crypto.randomUUID();
}

export function keyHeader(key: string) {
  return { "Idempotency-Key": key };
}

/** The message of whatever was thrown. */
export function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : "Something went wrong. Please try again.";
}

/** The faults by place, for showing each beside its field. */
export function faultsOf(error: unknown): Record<string, string> {
  const found: Record<string, string> = {};
  if (error instanceof ServerProblem)
    for (const fault of error.faults)
      found[fault.at] = found[fault.at] ? `${found[fault.at]} ${fault.message}` : fault.message;
  return found;
}

/** What a form holds where its value is not yet what the server takes: a text, or nothing. */
export type Typed<T> = T extends string | number | boolean | null | undefined
  ? T | string | number | boolean | null | undefined
  : T extends readonly (infer U)[]
    ? Typed<U>[]
    : { [K in keyof T]: Typed<T[K]> };

/** A form as it was typed: the server reads it strictly, and says at each field what is wrong. */
export function asTyped<N extends keyof Schemas>(form: Typed<Schemas[N]>): Schemas[N] {
  return form as Schemas[N];
}
