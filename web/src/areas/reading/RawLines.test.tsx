import { render, screen } from "@testing-library/react";
import { expect, it } from "vitest";
import { letters, RawLines } from "./RawLines";

const reading = { format: "delimited", delimiter: ";", header_row: 1 } as const;

it("lights delimiters and shows bytes that are no letters as their number", () => {
  const { container } = render(<RawLines lines={["a;D\xe9s", "1;2\r"]} reading={reading} />);
  expect(container.querySelectorAll(".delimiter")).toHaveLength(2);
  expect(screen.getByTitle("byte 233")).toHaveTextContent("E9");
  expect(screen.getByTitle("byte 13")).toHaveTextContent("CR");
  expect(container.querySelector(".header")).toHaveTextContent("1a;DE9s");
});

it.each([
  ["g\xfcltig", "cp1252", "gültig"],
  ["g\xc3\xbcltig", "utf-8", "gültig"],
  ["\xb6\xf3\xf0\xf1\xef", "iso8859_7", "Άσπρο"],
  ["\xcf\xd2", "koi8_r", "ор"],
])("shows letters as the encoding says", (bytes, encoding, text) => {
  const { container } = render(
    <RawLines lines={[bytes]} reading={{ ...reading, header_row: 0, encoding }} />,
  );
  expect(container.querySelector(".raw")).toHaveTextContent(`1${text}`);
});

it("knows bytes that are none of the encoding", () => {
  expect(letters("\xe9", "utf-8")).toBeNull();
  expect(letters("\xe9", "no such encoding")).toBeNull();
});
