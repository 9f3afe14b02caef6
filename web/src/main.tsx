import "./styles.css";
import "./wording";

import { notifyManager, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { queries } from "@/api/queries";
import { App } from "@/shell/app";
import { NoticeProvider } from "@/ui/notices";

// What an answer changes is drawn in the frame it comes in, not a timer later.
notifyManager.setScheduler(queueMicrotask);

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <NoticeProvider>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </NoticeProvider>
      </QueryClientProvider>
    </StrictMode>,
  );
