/** Fields of an undo that go back although a later run wrote them, or they are kept by hand. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import type { RunView } from "../../api/hooks";
import { useUndo } from "../../shell/undo";

type Instead = Schemas["Instead"];

const is = (one: Schemas["OfProduct"], product: string, field: string) =>
  one.key === product && one.field === field;

/** Whether a field of a product was chosen by itself. */
export function isChosen(instead: Instead, product: string, field: string): boolean {
  return !instead.all && (instead.fields ?? []).some((one) => is(one, product, field));
}

/** The choice with one field more or fewer. */
export function turned(instead: Instead, product: string, field: string): Instead {
  const fields = instead.fields ?? [];
  const others = fields.filter((one) => !is(one, product, field));
  return {
    all: instead.all ?? false,
    fields: others.length < fields.length ? others : [...fields, { key: product, field }],
  };
}

/** Makes another choice; the run is prepared again with it. */
export function useInstead(run: RunView) {
  const queries = useQueryClient();
  const undo = useUndo();
  const before = run.instead;
  const choose = useMutation({
    mutationFn: (body: Instead) =>
      take(api.PUT("/api/v1/runs/{run_id}/instead", { params: { path: { run_id: run.id } }, body })),
    onSuccess: () => {
      undo.did("Chosen; prepared again", () => choose.mutateAsync(before));
      return queries.invalidateQueries({ queryKey: ["run", run.id] });
    },
    onError: undo.failed,
  });
  return choose;
}
