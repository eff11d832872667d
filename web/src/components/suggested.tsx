/** What an Autocomplete offers when some of its options are suggested: those first, with why. */
import Typography from "@mui/material/Typography";
import type { HTMLAttributes, Key } from "react";
import type { Schemas } from "../api/client";

type Proposal = Schemas["Proposal"];

/** Options of a choice with the suggested ones first, each with its reason. */
export function suggestedFirst(proposals: Proposal[], options: string[]) {
  const reasons = new Map(proposals.map((p) => [p.place, p.reason]));
  return {
    options: [...reasons.keys(), ...options.filter((o) => !reasons.has(o))],
    ...(reasons.size > 0 && {
      groupBy: (option: string) => (reasons.has(option) ? "Suggested" : "Others"),
    }),
    renderOption: ({ key, ...rest }: HTMLAttributes<HTMLLIElement> & { key: Key }, option: string) => (
      <li key={key} {...rest}>
        <span>
          {option}
          {reasons.has(option) && (
            <Typography variant="caption" color="textSecondary" sx={{ display: "block" }}>
              {reasons.get(option)}
            </Typography>
          )}
        </span>
      </li>
    ),
  };
}
