import { cleanup, configure } from "@testing-library/react";
import { afterAll, afterEach, beforeAll, vi } from "vitest";

import { server } from "./server";

// What jsdom has not: the browser is asked whether the system is dark, and scrolls.
window.matchMedia ??= (query: string) =>
  ({
    matches: false,
    media: query,
    addEventListener: vi.fn(),
    removeEventListener: vi.fn(),
    addListener: vi.fn(),
    removeListener: vi.fn(),
  }) as unknown as MediaQueryList;
Element.prototype.scrollIntoView ??= vi.fn();

configure({ asyncUtilTimeout: 5_000 }); // other work may keep the machine busy
beforeAll(() => server.listen({ onUnhandledRequest: "error" }));
afterEach(() => {
  cleanup();
  server.resetHandlers();
  sessionStorage.clear();
});
afterAll(() => server.close());
