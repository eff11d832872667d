import { expect, it } from "vitest";
import { geometry } from "./useTallScroll";

it("reaches the last row of any list within what a browser can draw", () => {
  for (const total of [0, 5, 1_000, 1_000_000, 50_000_000]) {
    const room = 300;
    const { travel, scale } = geometry(total, 26, room);
    expect(travel / scale).toBeLessThanOrEqual(30_000_000);
    const first = Math.floor(travel / 26);
    expect(first + Math.floor(room / 26)).toBeGreaterThanOrEqual(total);
    expect(first).toBeLessThanOrEqual(Math.max(0, total - 1));
  }
  expect(geometry(1_000_000, 26, 300).scale).toBe(1);
});
