/** Draws a component within everything the application gives it. */
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { UndoProvider } from "../shell/undo";
import { theme } from "../theme";

/** Draws an element at an address. */
export function draw(element: ReactNode, path = "/s/1/feeds/1/bench", route = "/s/:store/feeds/:feed/*") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const router = createMemoryRouter([{ path: route, element: <UndoProvider>{element}</UndoProvider> }], {
    initialEntries: [path],
  });
  const drawn = render(
    <ThemeProvider theme={theme}>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </ThemeProvider>,
  );
  return { ...drawn, queries, router };
}
