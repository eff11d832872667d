import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterEach, beforeEach, vi } from "vitest";

// A slow machine says nothing about what is shown.
configure({ asyncUtilTimeout: 5_000 });

/** jsdom lays nothing out, so that nothing changes its size. */
class Observer {
  observe() {}
  unobserve() {}
  disconnect() {}
}

beforeEach(() => vi.stubGlobal("ResizeObserver", Observer));
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});
