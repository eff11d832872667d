import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { draw } from "../test/render";
import { Confirm } from "./Confirm";
import { PickAll } from "./PickAll";
import { Rows } from "./Rows";
import { SearchField } from "./SearchField";
import { WordChoice } from "./WordChoice";

const numbered = (n: number) => Array.from({ length: n }, (_, i) => `word ${i}`);

function list(items: string[]) {
  draw(
    <Rows items={items} row={30} label="Words" of={(w) => w} says={(w) => w}>
      {(word) => <span>{word}</span>}
    </Rows>,
  );
}

describe("a list", () => {
  it("of moderate length is drawn whole, so that the browser finds all of it", () => {
    list(numbered(200));
    expect(screen.getAllByRole("listitem")).toHaveLength(200);
  });

  it("of any length draws only what is in view, and follows the scrolling", () => {
    list(numbered(30_000));
    const shown = () => screen.getAllByRole("listitem").map((row) => row.getAttribute("aria-label"));
    expect(shown()).toHaveLength(21);
    expect(shown()[0]).toBe("word 0");
    const box = screen.getByRole("group", { name: "Words" });
    Object.defineProperty(box, "scrollTop", { value: 30 * 12_345 });
    fireEvent.scroll(box);
    expect(shown()[0]).toBe("word 12345");
    expect(shown()).toHaveLength(21);
  });

  it("without a row has no list in it", () => {
    list([]);
    expect(screen.queryByRole("list")).toBeNull();
  });
});

function Picking({ shown }: { shown: string[] }) {
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set(["elsewhere", "a"]));
  return (
    <>
      <PickAll shown={shown} picked={picked} onPick={setPicked} />
      <output>{[...picked].sort().join(" ")}</output>
    </>
  );
}

describe("picking all", () => {
  it("picks what is shown, keeps what is not, and lets go again", async () => {
    draw(<Picking shown={["a", "b", "c"]} />);
    const all = screen.getByRole("checkbox", { name: "Pick all 3" });
    expect(all).toHaveAttribute("data-indeterminate", "true");
    await userEvent.click(all);
    expect(screen.getByText("a b c elsewhere")).toBeInTheDocument();
    expect(all).toBeChecked();
    await userEvent.click(all);
    expect(screen.getByText("elsewhere")).toBeInTheDocument();
  });

  it("has nothing to pick in an empty list", () => {
    draw(<Picking shown={[]} />);
    expect(screen.getByRole("checkbox", { name: "Pick all 0" })).toBeDisabled();
  });
});

describe("a search", () => {
  it("waits until the typing rests, and shows what was set elsewhere", async () => {
    const searched = vi.fn();
    function Searching() {
      const [value, setValue] = useState("");
      return (
        <>
          <SearchField
            label="Find"
            placeholder=""
            value={value}
            width={90}
            onSearch={(text) => {
              searched(text);
              setValue(text);
            }}
          />
          <button onClick={() => setValue("")}>Show all</button>
        </>
      );
    }
    draw(<Searching />);
    await userEvent.type(screen.getByRole("searchbox", { name: "Find" }), "oil");
    expect(searched).not.toHaveBeenCalled();
    await waitFor(() => expect(searched.mock.calls).toEqual([["oil"]]));
    await userEvent.click(screen.getByRole("button", { name: "Show all" }));
    expect(screen.getByRole("searchbox")).toHaveValue("");
  });
});

describe("a word of the store", () => {
  const proposals = [{ place: "Blue", score: 90, sure: false, reason: "decided so before" }];

  it("is one of the list, suggested ones first", async () => {
    const chosen = vi.fn();
    draw(
      <WordChoice
        allowed={["Black", "Blue"]}
        value={null}
        proposals={proposals}
        label="Word"
        onChoose={chosen}
      />,
    );
    await userEvent.click(screen.getByLabelText("Word"));
    const [first] = screen.getAllByRole("option");
    expect(first).toHaveTextContent("Bluedecided so before");
    await userEvent.click(first!);
    expect(chosen).toHaveBeenCalledWith("Blue", false);
  });

  it("may be new, but not one that differs by case alone", async () => {
    const chosen = vi.fn();
    draw(<WordChoice allowed={["Black", "Blue"]} value={null} label="Word" onChoose={chosen} />);
    await userEvent.type(screen.getByLabelText("Word"), "bLUE");
    expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["Blue"]);
    await userEvent.clear(screen.getByLabelText("Word"));
    await userEvent.type(screen.getByLabelText("Word"), "Petrol");
    await userEvent.click(screen.getByRole("option", { name: "Add to the store's words: Petrol" }));
    expect(chosen).toHaveBeenCalledWith("Petrol", true);
  });

  it("is any where the store has no list", async () => {
    const chosen = vi.fn();
    draw(<WordChoice allowed={[]} value={null} label="Word" onChoose={chosen} />);
    await userEvent.type(screen.getByLabelText("Word"), "Anything{Enter}");
    expect(chosen).toHaveBeenCalledWith("Anything", false);
  });
});

describe("a question before something is done", () => {
  it("does it once ready, by the keyboard as well, and says what went wrong", async () => {
    const done = vi.fn();
    const ask = (ready: boolean, error?: unknown) => (
      <Confirm title="Sure?" action="Do it" ready={ready} error={error} onYes={done} onClose={() => {}}>
        <input aria-label="Name" />
      </Confirm>
    );
    const drawn = draw(ask(false));
    await userEvent.type(screen.getByLabelText("Name"), "x{Enter}");
    expect(done).not.toHaveBeenCalled();
    drawn.unmount();
    draw(ask(true, new Error("It is taken.")));
    const dialog = screen.getByRole("dialog", { name: "Sure?" });
    expect(within(dialog).getByRole("alert")).toHaveTextContent("It is taken.");
    await userEvent.type(screen.getByLabelText("Name"), "x{Enter}");
    expect(done).toHaveBeenCalledOnce();
  });
});
