import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import "@fontsource-variable/literata/index.css";
import "@fontsource-variable/public-sans/index.css";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";

import { Frame } from "./app/Frame";
import { ServerProblem } from "./app/server";
import { ForgotPage, PasswordPage } from "./subjects/access/PasswordPage";
import OwnPage, { OwnLink } from "./subjects/access/OwnPage";
import { PaidPage, PayLink } from "./subjects/money/PayPage";
import ReplyPage from "./subjects/roster/ReplyPage";
import ApplyPage from "./subjects/teaching/ApplyPage";
import EvaluatePage from "./subjects/teaching/EvaluatePage";
import OwnTeaching from "./subjects/teaching/OwnTeaching";
import "./theme/drawings.css";
import { theme } from "./theme/theme";

// The page's nonce lets our own styles pass the content security policy; nothing else may.
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

function Root() {
  return (
    <ThemeProvider theme={theme} defaultMode="system" modeStorageKey="colors">
      <CssBaseline />
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Routes>
            <Route path="/reply/:token" element={<ReplyPage />} />
            <Route path="/pay/:token" element={<PayLink />} />
            <Route path="/paid/:token" element={<PaidPage />} />
            <Route path="/own" element={<OwnPage />} />
            <Route path="/own/teaching" element={<OwnTeaching />} />
            <Route path="/evaluate/:token" element={<EvaluatePage />} />
            <Route path="/password/:token" element={<PasswordPage />} />
            <Route path="/forgot" element={<ForgotPage />} />
            <Route path="/apply" element={<ApplyPage />} />
            <Route path="/own/:token" element={<OwnLink />} />
            <Route path="*" element={<Frame />} />
          </Routes>
        </BrowserRouter>
      </QueryClientProvider>
    </ThemeProvider>
  );
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <CacheProvider value={cache}>
      <Root />
    </CacheProvider>
  </StrictMode>,
);
