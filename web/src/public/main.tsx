import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { ServerProblem } from "../app/server";
import { InterestPage } from "../subjects/catalog/InterestPage";
import { SignUpPage } from "../subjects/catalog/SignUpPage";
import { theme } from "../theme/theme";

// The public pages are the server's; only their forms are drawn here.
const place = document.getElementById("form");
const nonce = document.querySelector<HTMLMetaElement>("meta[name=csp-nonce]")?.content;
const cache = createCache({ key: "ag", nonce, prepend: true });
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (count, error) => !(error instanceof ServerProblem && error.status < 500) && count < 2,
    },
  },
});

if (place) {
  const { course, run, address, key } = place.dataset;
  createRoot(place).render(
    <StrictMode>
      <CacheProvider value={cache}>
        <ThemeProvider theme={theme} defaultMode="system" modeStorageKey="colors">
          <QueryClientProvider client={queries}>
            {run ? (
              <SignUpPage run={Number(run)} link={key ?? ""} address={address ?? "/catalog"} />
            ) : (
              <InterestPage course={Number(course)} address={address ?? "/catalog"} />
            )}
          </QueryClientProvider>
        </ThemeProvider>
      </CacheProvider>
    </StrictMode>,
  );
}
