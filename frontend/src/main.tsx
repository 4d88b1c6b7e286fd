import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import "./app.css";
import { Frame } from "./frame/Frame";
import { applyTheme, storedTheme } from "./frame/theme";
import { ImportPage } from "./importing/ImportPage";
import { StartPage } from "./start/StartPage";

applyTheme(storedTheme());
const queries = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 1 } } });
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Routes>
            <Route path="/" element={<StartPage />} />
            <Route path="/projects/:projectId/:station?" element={<Frame />} />
            <Route path="/import" element={<ImportPage />} />
            <Route path="*" element={<StartPage />} />
          </Routes>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
