/** Rules of a ladder: rungs of their own for some products. */
import Add from "@mui/icons-material/Add";
import Close from "@mui/icons-material/Close";
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";
import type { Ladder } from "../../api/hooks";
import { Typed } from "../../components/Typed";
import { RungTable } from "./LadderTable";

type Rule = Schemas["Rule"];
type Match = Schemas["Match"];

interface LadderRulesProps {
  ladder: Ladder;
  fields: Record<string, string>;
  uses: Schemas["RuleUse"][];
  onChange: (ladder: Ladder) => void;
}

const SUPPLIER = ":supplier";

/** Rungs of their own for some products. */
export function LadderRules({ ladder, fields, uses, onChange }: LadderRulesProps) {
  const rules = ladder.rules ?? [];
  const set = (index: number, change: Partial<Rule>) =>
    onChange({ ...ladder, rules: rules.map((r, i) => (i === index ? { ...r, ...change } : r)) });
  const add = () => {
    const field = "category" in fields ? "category" : (Object.keys(fields)[0] ?? "brand");
    const rule: Rule = {
      name: `Rule ${rules.length + 1}`,
      when: [{ field, fact: "", words: ["…"] }],
      rungs: ladder.rungs,
    };
    onChange({ ...ladder, rules: [...rules, rule] });
  };
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Rules for some products
        </Typography>
        {rules.length > 1 && (
          <Select
            value={ladder.choose ?? "first"}
            onChange={(e) => onChange({ ...ladder, choose: e.target.value as Ladder["choose"] })}
            inputProps={{ "aria-label": "Which rule holds" }}
          >
            <MenuItem value="first">the first that fits</MenuItem>
            <MenuItem value="most_specific">the most specific</MenuItem>
          </Select>
        )}
        <Button startIcon={<Add />} onClick={add}>
          Add a rule
        </Button>
      </Box>
      {rules.map((rule, index) => (
        <Box
          key={index}
          component="section"
          aria-label={rule.name}
          sx={{ borderTop: 1, borderColor: "divider", py: 1 }}
        >
          <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 0.75 }}>
            <Typed
              label="rule"
              value={rule.name}
              width={150}
              onDone={(name) => name && set(index, { name })}
            />
            <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
              {said(uses.find((u) => u.name === rule.name))}
            </Typography>
            <IconButton
              size="small"
              aria-label="Remove rule"
              onClick={() => onChange({ ...ladder, rules: rules.filter((_, i) => i !== index) })}
            >
              <Close fontSize="inherit" />
            </IconButton>
          </Box>
          {rule.when.map((match, at) => (
            <MatchRow
              key={at}
              match={match}
              fields={fields}
              onChange={(next) => set(index, { when: rule.when.map((m, i) => (i === at ? next : m)) })}
              onRemove={
                rule.when.length > 1
                  ? () => set(index, { when: rule.when.filter((_, i) => i !== at) })
                  : undefined
              }
            />
          ))}
          <Button
            size="small"
            onClick={() =>
              set(index, {
                when: [
                  ...rule.when,
                  {
                    field: "brand" in fields ? "brand" : (Object.keys(fields)[0] ?? ""),
                    fact: "",
                    words: ["…"],
                  },
                ],
              })
            }
          >
            and also
          </Button>
          <RungTable
            rungs={rule.rungs}
            by={ladder.by_field || undefined}
            onChange={(rungs) => set(index, { rungs })}
          />
        </Box>
      ))}
    </Box>
  );
}

function said(use: Schemas["RuleUse"] | undefined): string {
  if (!use) return "";
  const margins = use.margin_least ? `, margins ${use.margin_least}–${use.margin_most} %` : "";
  return `${use.count} products${margins}`;
}

interface MatchRowProps {
  match: Match;
  fields: Record<string, string>;
  onChange: (match: Match) => void;
  onRemove: (() => void) | undefined;
}

function MatchRow({ match, fields, onChange, onRemove }: MatchRowProps) {
  return (
    <Box sx={{ display: "flex", gap: 1, mb: 0.5, alignItems: "center" }}>
      <Select
        value={match.fact ? SUPPLIER : (match.field ?? "")}
        onChange={(e) =>
          onChange(
            e.target.value === SUPPLIER
              ? { ...match, field: "", fact: "supplier" }
              : { ...match, field: e.target.value, fact: "" },
          )
        }
        inputProps={{ "aria-label": "Looks at" }}
        sx={{ width: 150 }}
      >
        {Object.entries(fields).map(([f, title]) => (
          <MenuItem key={f} value={f}>
            {title}
          </MenuItem>
        ))}
        <MenuItem value={SUPPLIER}>the supplier</MenuItem>
      </Select>
      <Typography variant="body2">is</Typography>
      <Autocomplete
        multiple
        freeSolo
        autoSelect
        options={[] as string[]}
        value={match.words}
        onChange={(_, words) =>
          words.length && onChange({ ...match, words: words.filter((w) => w !== "…" || words.length === 1) })
        }
        renderInput={(params) => <TextField {...params} placeholder="a word, then Enter" />}
        aria-label="Words"
        sx={{ flex: 1 }}
      />
      {onRemove && (
        <IconButton size="small" aria-label="Remove condition" onClick={onRemove}>
          <Close fontSize="inherit" />
        </IconButton>
      )}
    </Box>
  );
}
