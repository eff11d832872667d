import { render } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { isText, TextDiff } from "./TextDiff";

/** The texts that stand there without what comes, and without what goes. */
function sides(before: string, after: string): [string, string] {
  const { container, unmount } = render(<TextDiff before={before} after={after} />);
  const without = (mark: string) => {
    const copy = container.cloneNode(true) as HTMLElement;
    copy.querySelectorAll(mark).forEach((one) => one.remove());
    return copy.textContent;
  };
  const found: [string, string] = [without("ins"), without("del")];
  unmount();
  return found;
}

const TEXTS = [
  "",
  "Touw",
  "Geslagen touw, drie strengen, 12 mm",
  "Geslagen touw, vier strengen, 14 mm",
  "  Geslagen   touw\n\tdrie strengen ",
  "İnce ip; kalın ip & <b>halat</b>",
  "<script>alert(1)</script> halat",
];

describe("differences within a text", () => {
  it.each(TEXTS.flatMap((before) => TEXTS.map((after) => [before, after] as const)))(
    "of %j and %j leave both as they were",
    (before, after) => {
      expect(sides(before, after)).toEqual([before, after]);
    },
  );

  it("mark words, not letters, and nothing where both are alike", () => {
    const { container, rerender } = render(<TextDiff before="drie strengen" after="vier strengen" />);
    expect(container.querySelector("del")).toHaveTextContent("drie");
    expect(container.querySelector("ins")).toHaveTextContent("vier");
    rerender(<TextDiff before="vier strengen" after="vier strengen" />);
    expect(container.querySelectorAll("ins, del")).toHaveLength(0);
  });

  it.each([
    ["a word and another that is a little longer", "red", true],
    ["short", "words", false],
    ["a-long-code-without-any-blank-in-it", "and-another-one-of-that-kind", false],
    [null, "a text that was not there before at all", false],
    ["a text that is not there any more at all", null, false],
  ])("are looked for within %j and %j: %s", (before, after, wanted) => {
    expect(isText(before, after)).toBe(wanted);
  });
});
