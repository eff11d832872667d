/** Draws a component within everything the application gives it. */
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { UndoProvider } from "../shell/undo";
import { theme } from "../theme";

/**
 * Styles go to an element outside of the page: jsdom lays nothing out, and weighs every rule for
 * every element that is looked for by its role, which took half the time of these tests.
 */
const unstyled = createCache({ key: "css", container: document.createElement("div") });

/** Draws an element at an address. */
export function draw(element: ReactNode, path = "/s/1/feeds/1/bench", route = "/s/:store/feeds/:feed/*") {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const router = createMemoryRouter([{ path: route, element: <UndoProvider>{element}</UndoProvider> }], {
    initialEntries: [path],
  });
  const drawn = render(
    <CacheProvider value={unstyled}>
      <ThemeProvider theme={theme}>
        <QueryClientProvider client={queries}>
          <RouterProvider router={router} />
        </QueryClientProvider>
      </ThemeProvider>
    </CacheProvider>,
  );
  return { ...drawn, queries, router };
}
