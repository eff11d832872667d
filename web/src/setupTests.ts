import "@testing-library/jest-dom/vitest";
import { cleanup } from "@testing-library/react";
import { afterEach, beforeEach, vi } from "vitest";

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
