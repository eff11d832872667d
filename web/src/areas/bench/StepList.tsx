/** The chain of steps of a fill, each with what it made of the row in hand. */
import ArrowDownward from "@mui/icons-material/ArrowDownward";
import ArrowUpward from "@mui/icons-material/ArrowUpward";
import Close from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import ListSubheader from "@mui/material/ListSubheader";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import type { Step } from "../../api/hooks";
import { StepSettings } from "./StepSettings";
import type { FormulaPlace } from "./FormulaEditor";
import { begin, formOf, GROUPS, STEP_FORMS, type StepForm } from "./steps";

interface StepListProps {
  steps: Step[];
  stages: Schemas["Stage"][];
  supplier: string;
  fieldLabel: string;
  place: FormulaPlace;
  onChange: (steps: Step[], label: string) => void;
}

/** The steps of a fill in their order; each may be set, moved, switched off. */
export function StepList({ steps, stages, supplier, fieldLabel, place, onChange }: StepListProps) {
  const [open, setOpen] = useState<number | null>(null);
  // Stages stand for steps that are on; the first is the source, the last what is kept.
  const before = (index: number) => stages[steps.slice(0, index).filter((s) => !s.off).length];
  const stageOf = (index: number) => {
    if (steps[index]?.off) return undefined;
    return stages[1 + steps.slice(0, index).filter((s) => !s.off).length];
  };
  const replace = (index: number, step: Step) =>
    onChange(
      steps.map((s, i) => (i === index ? step : s)),
      `Changed the step '${formOf(step).label}'`,
    );
  const move = (index: number, by: number) => {
    const next = [...steps];
    const [taken] = next.splice(index, 1);
    if (taken) next.splice(index + by, 0, taken);
    onChange(next, "Moved a step");
  };
  return (
    <Box>
      <StageLine label="arrives" value={stages[0]?.value} />
      {steps.map((step, index) => (
        <Box key={index} sx={{ borderTop: 1, borderColor: "divider", opacity: step.off ? 0.55 : 1 }}>
          <Box sx={{ display: "flex", alignItems: "center", minHeight: 30 }}>
            <Button
              color="inherit"
              onClick={() => setOpen(open === index ? null : index)}
              aria-expanded={open === index}
              sx={{ justifyContent: "flex-start", flex: 1, minWidth: 0, fontWeight: 500 }}
            >
              {formOf(step).label}
            </Button>
            <Typography className="mono" noWrap sx={{ maxWidth: 150 }}>
              {step.off ? "off" : show(stageOf(index)?.value)}
            </Typography>
          </Box>
          {open === index && (
            <Box sx={{ pl: 1, pb: 1 }}>
              <StepSettings
                step={step}
                place={{ ...place, value: before(index)?.value ?? null, written: before(index)?.written }}
                onChange={(s) => replace(index, s)}
              />
              <EffectLine effect={stageOf(index)?.effect} />
              <Box sx={{ display: "flex", alignItems: "center", mt: 0.5 }}>
                <Switch
                  size="small"
                  checked={!step.off}
                  onChange={(e) => replace(index, { ...step, off: !e.target.checked })}
                  slotProps={{ input: { "aria-label": "Step is on" } }}
                />
                <Typography variant="caption">on</Typography>
                <Box sx={{ flex: 1 }} />
                <IconButton
                  size="small"
                  aria-label="Earlier"
                  disabled={index === 0}
                  onClick={() => move(index, -1)}
                >
                  <ArrowUpward fontSize="inherit" />
                </IconButton>
                <IconButton
                  size="small"
                  aria-label="Later"
                  disabled={index === steps.length - 1}
                  onClick={() => move(index, 1)}
                >
                  <ArrowDownward fontSize="inherit" />
                </IconButton>
                <IconButton
                  size="small"
                  aria-label="Remove step"
                  onClick={() => {
                    setOpen(null);
                    onChange(
                      steps.filter((_, i) => i !== index),
                      `Removed the step '${formOf(step).label}'`,
                    );
                  }}
                >
                  <Close fontSize="inherit" />
                </IconButton>
              </Box>
            </Box>
          )}
        </Box>
      ))}
      <StageLine label="the store keeps" value={stages.at(-1)?.value} strong />
      <AddStep
        onAdd={(form) => {
          onChange([...steps, begin(form, supplier, fieldLabel)], `Added '${form.label}'`);
          if (form.inputs.length) setOpen(steps.length);
        }}
      />
    </Box>
  );
}

/** What a step does to all rows, where it does anything worth a word. */
function EffectLine({ effect }: { effect: Schemas["Effect"] | null | undefined }) {
  if (!effect) return null;
  const said = [
    `changes ${effect.changed.toLocaleString("en")}`,
    `${effect.distinct.toLocaleString("en")} different after`,
  ];
  if (effect.failed) said.splice(1, 0, `fails on ${effect.failed.toLocaleString("en")}`);
  return (
    <Typography
      variant="caption"
      color={effect.failed ? "error" : "textSecondary"}
      component="div"
      sx={{ mt: 0.5 }}
    >
      Over all rows: {said.join(" · ")}
    </Typography>
  );
}

const show = (value: string | null | undefined) =>
  value === null || value === undefined ? "∅" : value || "''";

function StageLine({
  label,
  value,
  strong,
}: {
  label: string;
  value: string | null | undefined;
  strong?: boolean;
}) {
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        minHeight: 28,
        px: 1,
        borderTop: strong ? 1 : 0,
        borderColor: "divider",
        bgcolor: strong ? "paper2.hand" : "paper2.arriving",
      }}
    >
      <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
        {label}
      </Typography>
      <Typography
        className="mono"
        noWrap
        sx={{ maxWidth: 230, fontWeight: strong ? 700 : 400 }}
        title={value ?? ""}
      >
        {show(value)}
      </Typography>
    </Box>
  );
}

function AddStep({ onAdd }: { onAdd: (form: StepForm) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [wanted, setWanted] = useState("");
  const close = () => {
    setAnchor(null);
    setWanted("");
  };
  const fits = (form: StepForm) => form.label.toLowerCase().includes(wanted.toLowerCase());
  return (
    <>
      <Button sx={{ mt: 0.5 }} onClick={(e) => setAnchor(e.currentTarget)}>
        Add a step
      </Button>
      <Menu
        open={anchor !== null}
        anchorEl={anchor}
        onClose={close}
        slotProps={{ paper: { sx: { maxHeight: 420 } } }}
      >
        <Box sx={{ px: 1.5, py: 0.5 }} onKeyDown={(e) => e.key !== "Escape" && e.stopPropagation()}>
          <TextField
            autoFocus
            fullWidth
            placeholder="Find a step"
            value={wanted}
            onChange={(e) => setWanted(e.target.value)}
            onKeyDown={(e) => {
              const first = STEP_FORMS.find(fits);
              if (e.key !== "Enter" || !first) return;
              e.preventDefault();
              close();
              onAdd(first);
            }}
            slotProps={{ htmlInput: { "aria-label": "Find a step" } }}
          />
        </Box>
        {GROUPS.flatMap((group) => [
          STEP_FORMS.some((f) => f.group === group && fits(f)) && (
            <ListSubheader key={group} sx={{ lineHeight: "26px" }}>
              {group}
            </ListSubheader>
          ),
          ...STEP_FORMS.filter((f) => f.group === group && fits(f)).map((form) => (
            <MenuItem
              key={form.do}
              onClick={() => {
                close();
                onAdd(form);
              }}
            >
              {form.label}
            </MenuItem>
          )),
        ])}
      </Menu>
    </>
  );
}
