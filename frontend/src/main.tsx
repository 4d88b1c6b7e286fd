import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import "./app.css";
import { watchServer } from "./client/server";
import { useDesk } from "./desk/desk";
import { Fallible } from "./frame/Fallible";
import { ServerBanner } from "./frame/ServerBanner";
import { applyTheme, storedTheme } from "./shared/theme";
import { StartPage } from "./start/StartPage";

const Frame = lazy(() => import("./frame/Frame"));
const ImportPage = lazy(() => import("./importing/ImportPage"));

applyTheme(storedTheme());
const queries = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 1 } } });
watchServer(queries, () => {
  const { saving, typing } = useDesk.getState();
  return Boolean(saving || typing);
});
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <div className="flex h-full flex-col">
            <ServerBanner />
            <div className="min-h-0 flex-1">
              <Fallible>
                <Suspense>
                  <Routes>
                    <Route path="/" element={<StartPage />} />
                    <Route path="/projects/:projectId/:station?" element={<Frame />} />
                    <Route path="/import" element={<ImportPage />} />
                    <Route path="*" element={<StartPage />} />
                  </Routes>
                </Suspense>
              </Fallible>
            </div>
          </div>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
