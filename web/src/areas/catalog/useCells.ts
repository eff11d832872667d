/** Writing cells of the sheet: those that are not taken stay marked, all is taken back by one key. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { writeCells, type ProductLine, type RowEdit } from "../../api/catalog";
import type { Schemas } from "../../api/client";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";

export type Refused = Schemas["RefusedCell"];
const nameOf = (key: string, field: string) => `${key}\n${field}`;

/** What a cell of a product holds. */
export const valueOf = (product: ProductLine, column: string): string | null =>
  column === "$state"
    ? product.state
    : column === "$supplier"
      ? product.supplier
      : (product.content[column] ?? null);

/** Writes cells, and keeps those that were not taken until they are. */
export function useCells(store: number) {
  const queries = useQueryClient();
  const undo = useUndo();
  const [refused, setRefused] = useState<ReadonlyMap<string, Refused>>(new Map());
  const [keep, setKeep] = useState(false);
  /** What of the last paste has no place on the sheet; "" for nothing. */
  const [beyond, setBeyond] = useState("");
  const write = useMutation({
    mutationFn: ({ rows, keep: kept }: { rows: RowEdit[]; keep: boolean; back?: boolean }) =>
      writeCells(store, rows, kept),
    onSuccess: (told, { rows, back }) => {
      setRefused((known) => {
        const next = new Map(known);
        for (const row of rows)
          for (const field of Object.keys(row.values)) next.delete(nameOf(row.key, field));
        for (const one of told.refused) next.set(nameOf(one.key, one.field), one);
        return next;
      });
      if (told.written && !back) {
        const taken = new Set(told.refused.map((one) => nameOf(one.key, one.field)));
        const reverse = rows
          .map((row) => reversed(row, taken))
          .filter((row) => Object.keys(row.values).length);
        const said = `${count(told.written, "cell", "cells")} written`;
        undo.did(told.refused.length ? `${said}, ${told.refused.length} not taken` : said, () =>
          write.mutateAsync({ rows: reverse, keep: false, back: true }),
        );
      } else if (told.refused.length) undo.did(told.refused[0]?.why ?? "");
      return queries.invalidateQueries({ queryKey: ["catalog", store] });
    },
    onError: undo.failed,
  });
  /** Cells of products by their columns, beside what these hold. */
  const put = (
    cells: readonly { product: ProductLine; values: Record<string, string | null> }[],
    left = "",
  ) => {
    setBeyond(left);
    // A short line of what is pasted, or one into columns that nobody writes, has nothing to say.
    const said = cells.filter(({ values }) => Object.keys(values).length);
    const rows = said.map(({ product, values }) => ({
      key: product.key,
      values,
      saw: Object.fromEntries(Object.keys(values).map((name) => [name, valueOf(product, name)])),
    }));
    if (rows.length) write.mutate({ rows, keep });
  };
  return {
    put,
    keep,
    setKeep,
    busy: write.isPending,
    refused,
    refusedAt: (key: string, field: string) => refused.get(nameOf(key, field)),
    beyond,
    dismiss: () => {
      setRefused(new Map());
      setBeyond("");
    },
  };
}

/** What puts a row back: what was seen, where it was written. */
function reversed(row: RowEdit, taken: ReadonlySet<string>): RowEdit {
  const names = Object.keys(row.values).filter((name) => !taken.has(nameOf(row.key, name)));
  return { key: row.key, values: Object.fromEntries(names.map((name) => [name, row.saw?.[name] ?? null])) };
}
