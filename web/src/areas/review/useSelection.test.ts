import { act, renderHook } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { MOST, useSelection } from "./useSelection";

const keysOf = (first: number, last: number) =>
  Array.from({ length: last - first + 1 }, (_, n) => `T-${first + n}`);

describe("lines that are chosen together", () => {
  it("are taken in and out one by one, in the order that they were chosen in", () => {
    const { result } = renderHook(() => useSelection(vi.fn()));
    for (const key of ["T-3", "T-1", "T-2", "T-3"]) act(() => result.current.turn(key));
    expect(result.current.keys).toEqual(["T-1", "T-2"]);
    act(() => result.current.clear());
    expect(result.current.keys).toEqual([]);
  });

  it("reach from the one chosen last to another, up or down", async () => {
    const between = vi.fn((first: number, last: number) => Promise.resolve(keysOf(first, last)));
    const { result } = renderHook(() => useSelection(between));
    act(() => result.current.from(4));
    await act(() => result.current.reach(6));
    expect(result.current.keys).toEqual(["T-4", "T-5", "T-6"]);
    await act(() => result.current.reach(2));
    expect(result.current.keys).toEqual(["T-2", "T-3", "T-4"]);
    expect(between.mock.calls).toEqual([
      [4, 6],
      [2, 4],
    ]);
  });

  it("are those that were asked for last, though what was asked before comes later", async () => {
    const answers: ((keys: string[]) => void)[] = [];
    const { result } = renderHook(() =>
      useSelection(() => new Promise<string[]>((answer) => answers.push(answer))),
    );
    let first = Promise.resolve();
    let second = Promise.resolve();
    act(() => {
      first = result.current.reach(9);
      second = result.current.reach(2);
    });
    await act(async () => {
      answers[1]?.(["late"]);
      await second;
    });
    await act(async () => {
      answers[0]?.(["early"]);
      await first;
    });
    expect(result.current.keys).toEqual(["late"]);
  });

  it("are no more than can be told one by one, and stay as they are where that is asked", async () => {
    const between = vi.fn((first: number, last: number) => Promise.resolve(keysOf(first, last)));
    const { result } = renderHook(() => useSelection(between));
    await act(() => result.current.reach(1));
    await act(() => result.current.reach(MOST));
    expect(result.current.tooMany).toBe(true);
    expect(result.current.keys).toEqual(["T-0", "T-1"]);
    expect(between).toHaveBeenCalledTimes(1);
    // One fewer is as many as there may be.
    await act(() => result.current.reach(MOST - 1));
    expect(result.current.tooMany).toBe(false);
    expect(result.current.keys).toHaveLength(MOST);
    await act(() => result.current.reach(MOST));
    act(() => result.current.clear());
    expect(result.current.tooMany).toBe(false);
  });
});
