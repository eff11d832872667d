import { render, screen } from "@testing-library/react";
import { expect, it } from "vitest";
import { RawLines } from "./RawLines";

const reading = { format: "delimited", delimiter: ";", header_row: 1 } as const;

it("lights delimiters and shows bytes beyond ASCII as their number", () => {
  const { container } = render(<RawLines lines={["a;D\xe9s", "1;2\r"]} reading={reading} />);
  expect(container.querySelectorAll(".delimiter")).toHaveLength(2);
  expect(screen.getByTitle("byte 233")).toHaveTextContent("E9");
  expect(screen.getByTitle("byte 13")).toHaveTextContent("CR");
  expect(container.querySelector(".header")).toHaveTextContent("1a;DE9s");
});
