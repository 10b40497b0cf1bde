import { http, HttpResponse, type JsonBodyType } from "msw";
import { setupServer } from "msw/node";

/** A server that answers what a test says, and fails the test on anything else. */
export const server = setupServer();

export type Sent = { path: string; body: unknown; key: string | null };
type Answer = JsonBodyType | (() => JsonBodyType | Response);
const kinds = { get: http.get, post: http.post, put: http.put, patch: http.patch, delete: http.delete };

/** Answers a path; what was sent to it is gathered in the list that comes back. */
export function answers(method: keyof typeof kinds, path: string, answer: Answer): Sent[] {
  const sent: Sent[] = [];
  server.use(
    kinds[method](`*${path}`, async ({ request }) => {
      const text = await request.text();
      sent.push({
        path: new URL(request.url).pathname + new URL(request.url).search,
        body: text ? (JSON.parse(text) as unknown) : null,
        key: request.headers.get("Idempotency-Key"),
      });
      const now = typeof answer === "function" ? answer() : answer;
      return now instanceof Response ? now : HttpResponse.json(now);
    }),
  );
  return sent;
}

/** A problem document, as the server writes it. */
export function problem(
  status: number,
  kind: string,
  detail: string,
  errors: object[] = [],
  more: object = {},
) {
  return HttpResponse.json(
    { type: `urn:archgate:problem:${kind}`, status, detail, errors, ...more },
    { status },
  );
}
