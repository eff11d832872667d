import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { NotesPlace } from "../areas/notes/Notes";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { Notes, type Note } from "./Notes";

const PLACE = "/api/v1/stores/1/notes";

/** Two notes of a store, one of them done; what is sent changes them. */
function server() {
  const note = (id: number, more: Partial<Note>): Note => ({
    id,
    key: `R-${id}`,
    title: `Touw ${id}`,
    run_id: null,
    text: `Note ${id}`,
    whom: "",
    author: "Ines",
    at: "2027-01-01T10:00:00Z",
    done_at: null,
    done_by: "",
    ...more,
  });
  let notes = [
    note(1, { whom: "Bram", run_id: 4 }),
    note(2, { done_at: "2027-01-02T10:00:00Z", done_by: "Bram" }),
  ];
  const settle = (id: number) => (body: unknown) => {
    const { done } = body as { done: boolean };
    notes = notes.map((n) => (n.id === id ? { ...n, done_at: done ? "2027-01-03T10:00:00Z" : null } : n));
  };
  return new FakeServer()
    .on(`GET ${PLACE}`, ({ query }) => {
      const shown = query.get("only_open") === "true" ? notes.filter((n) => n.done_at === null) : notes;
      return { notes: shown, open: notes.filter((n) => n.done_at === null).length, total: shown.length };
    })
    .on(`PUT ${PLACE}/1`, ({ body }) => {
      settle(1)(body);
      return { done: true };
    })
    .on(`DELETE ${PLACE}/1`, () => {
      notes = notes.filter((n) => n.id !== 1);
      return { key: "R-1", text: "Note 1", whom: "Bram", run_id: 4 };
    })
    .on(`POST ${PLACE}`, ({ body }) => {
      notes = [note(9, body as Partial<Note>), ...notes];
      return { id: 9 };
    });
}

describe("the notes of a store", () => {
  it("show what is to be done, and lead to their products and runs", async () => {
    server();
    draw(<NotesPlace />, "/s/1/notes", "/s/:store/notes");
    expect(await screen.findByText("1 to be done")).toBeVisible();
    expect(screen.getByRole("link", { name: "R-1" })).toHaveAttribute("href", "/s/1/catalog/R-1");
    expect(screen.getByRole("link", { name: "run 4" })).toHaveAttribute("href", "/s/1/runs/4?product=R-1");
    expect(screen.queryByText("Note 2")).toBeNull();
    await userEvent.click(screen.getByLabelText("with what is done"));
    expect(await screen.findByText(/; done by Bram/)).toBeVisible();
  });

  it("are done, and are not after all", async () => {
    const fake = server();
    draw(<NotesPlace />, "/s/1/notes", "/s/:store/notes");
    await userEvent.click(await screen.findByLabelText("Done: Note 1"));
    expect(await screen.findByText("No notes")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: /Undo/ }));
    expect(await screen.findByText("Note 1")).toBeVisible();
    expect(fake.calls(`PUT ${PLACE}/1`).map((call) => call.body)).toEqual([{ done: true }, { done: false }]);
  });

  it("are removed, and put back", async () => {
    const fake = server();
    draw(<NotesPlace />, "/s/1/notes", "/s/:store/notes");
    await userEvent.click(await screen.findByRole("button", { name: "Remove the note: Note 1" }));
    expect(await screen.findByText("No notes")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: /Undo/ }));
    expect(await screen.findByText("Note 1")).toBeVisible();
    expect(fake.calls(`POST ${PLACE}`)[0]?.body).toMatchObject({ key: "R-1", whom: "Bram", run_id: 4 });
  });
});

describe("the notes on a product", () => {
  it("are written beside its line in a run", async () => {
    const fake = server();
    draw(<Notes store={1} product="R-7" run={4} />);
    await userEvent.click(await screen.findByRole("button", { name: "Write a note" }));
    const form = within(screen.getByRole("form", { name: "A new note" }));
    expect(form.getByRole("button", { name: "Keep it" })).toBeDisabled();
    await userEvent.type(form.getByLabelText("What is to be known or done"), "Ask for a picture");
    await userEvent.type(form.getByLabelText("For (optional)"), "Bram");
    await userEvent.click(form.getByRole("button", { name: "Keep it" }));
    await waitFor(() =>
      expect(fake.calls(`POST ${PLACE}`)[0]?.body).toEqual({
        key: "R-7",
        text: "Ask for a picture",
        whom: "Bram",
        run_id: 4,
      }),
    );
    expect(await screen.findByText("Ask for a picture")).toBeVisible();
    expect(screen.queryByRole("form")).toBeNull();
  });
});
