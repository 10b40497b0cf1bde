import { HttpResponse } from "msw";
import { expect, test, vi } from "vitest";

import { answers, problem } from "../testing/server";
import { api, ask, faultsOf, messageOf, onUnknownNames, ServerProblem } from "./server";

const stock = () => ask(api.GET("/api/v1/stock"));

test("an answer is its content", async () => {
  answers("get", "/api/v1/stock", [{ id: 1, name: "Handbook" }]);
  expect(await stock()).toEqual([{ id: 1, name: "Handbook" }]);
});

test("a problem is thrown with its kind, its sentence and all faults by place", async () => {
  answers("get", "/api/v1/stock", () =>
    problem(422, "invalid", "Not saved.", [
      { at: "/name", message: "A name is missing." },
      { at: "/name", message: "It has letters." },
      { at: "/add", message: "A whole number, please." },
    ]),
  );
  const error = await stock().catch((thrown: unknown) => thrown);
  expect(error).toBeInstanceOf(ServerProblem);
  expect([(error as ServerProblem).status, (error as ServerProblem).kind, messageOf(error)]).toEqual([
    422,
    "invalid",
    "Not saved.",
  ]);
  expect(faultsOf(error)).toEqual({
    "/name": "A name is missing. It has letters.",
    "/add": "A whole number, please.",
  });
});

test("an answer that is no problem document says that nothing was saved", async () => {
  answers("get", "/api/v1/stock", () => new HttpResponse("<h1>Bad gateway</h1>", { status: 502 }));
  const error = await stock().catch((thrown: unknown) => thrown);
  expect(messageOf(error)).toBe("Something went wrong on our side; nothing was saved. Please try again.");
  expect(faultsOf(error)).toEqual({});
});

test("a server that does not answer is a problem of its own", async () => {
  answers("get", "/api/v1/stock", () => HttpResponse.error());
  const error = await stock().catch((thrown: unknown) => thrown);
  expect((error as ServerProblem).kind).toBe("unreachable");
  expect(messageOf(error)).toContain("What you typed is kept");
});

test("a session that ended is told to the frame", async () => {
  const told = vi.fn();
  window.addEventListener("signed-out", told, { once: true });
  answers("get", "/api/v1/stock", () => problem(401, "signed-out", "Sign in again."));
  await expect(stock()).rejects.toThrow("Sign in again.");
  expect(told).toHaveBeenCalled();
});

const NAMES = { names: [{ kind: "place", name: "Hall 9", hint: "Hall 2" }] };
const place = { title: "Ironwork", place: "Hall 9" } as never;

test("a name nobody knows is asked about once; only with a yes it is sent again, with the name allowed", async () => {
  const asked = vi.fn(() => Promise.resolve(true));
  const stop = onUnknownNames(asked);
  const allowed: (string | null)[] = [];
  const sent = answers("post", "/api/v1/runs", () =>
    sent.length === 1 ? problem(409, "unknown-name", "Hall 9 is new.", [], NAMES) : { id: 1 },
  );
  const spy = vi.spyOn(globalThis, "fetch");
  expect(await ask(api.POST("/api/v1/runs", { body: place }))).toEqual({ id: 1 });
  for (const [request] of spy.mock.calls)
    allowed.push((request as Request).headers.get("Archgate-New-Names"));
  expect(asked).toHaveBeenCalledWith(NAMES.names);
  expect(allowed).toEqual([null, "Hall%209"]);
  expect(sent.map((s) => s.body)).toEqual([place, place]);
  stop();
  spy.mockRestore();
});

test("with a no nothing is sent again, and the refusal stands", async () => {
  const stop = onUnknownNames(() => Promise.resolve(false));
  const sent = answers("post", "/api/v1/runs", () =>
    problem(409, "unknown-name", "Hall 9 is new.", [], NAMES),
  );
  await expect(ask(api.POST("/api/v1/runs", { body: place }))).rejects.toThrow("Hall 9 is new.");
  expect(sent).toHaveLength(1);
  stop();
});
