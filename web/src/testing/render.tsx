import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, renderHook } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type ReactNode, useState } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";

import { type Me, MeContext } from "../app/session";
import { theme } from "../theme/theme";

export const ME = {
  name: "Ruth Okonjo",
  role: "administrator",
  center: "Ashlar Quay",
  today: "2027-08-20",
  currency: "USD",
  time_zone: "America/New_York",
} as unknown as Me;

/** What a screen is given to tell its acts to, with every word it says noted. */
export const acts = () => ({
  say: vi.fn(),
  fail: vi.fn(),
  failed: vi.fn(),
  undo: vi.fn(),
  done: null,
  trouble: "",
  busy: false,
});

function Around({ at, children }: { at: string; children: ReactNode }) {
  const [queries] = useState(() => new QueryClient({ defaultOptions: { queries: { retry: false } } }));
  return (
    <ThemeProvider theme={theme}>
      <QueryClientProvider client={queries}>
        <MemoryRouter initialEntries={[at]}>
          <MeContext value={ME}>{children}</MeContext>
        </MemoryRouter>
      </QueryClientProvider>
    </ThemeProvider>
  );
}

/** Draws something inside the frame that every page has, and a person who types and clicks. */
export function draw(what: ReactNode, at = "/") {
  const person = userEvent.setup();
  return { person, ...render(what, { wrapper: ({ children }) => <Around at={at}>{children}</Around> }) };
}

/** Runs a hook inside the same frame. */
export function run<T>(hook: () => T) {
  return renderHook(hook, { wrapper: ({ children }) => <Around at="/">{children}</Around> });
}
