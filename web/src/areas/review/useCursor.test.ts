import { renderHook } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { useCursor } from "./useCursor";

describe("the product that keys move to", () => {
  it("is where the last key went, though the address comes later, and in part", () => {
    const went = vi.fn();
    const { result, rerender } = renderHook(({ product }) => useCursor(product, went), {
      initialProps: { product: "" },
    });
    result.current.go("A");
    result.current.go("B");
    expect(result.current.here()).toBe("B");
    rerender({ product: "A" });
    expect(result.current.here()).toBe("B");
    rerender({ product: "B" });
    expect(went.mock.calls).toEqual([["A"], ["B"]]);
    // One goes back by the browser, or closes the panel.
    rerender({ product: "A" });
    expect(result.current.here()).toBe("A");
    rerender({ product: "" });
    expect(result.current.here()).toBe("");
    result.current.go("A");
    expect(result.current.here()).toBe("A");
  });
});
