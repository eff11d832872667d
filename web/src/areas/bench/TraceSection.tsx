/** Where the value in hand comes from, opened on demand. */
import Button from "@mui/material/Button";
import { useState } from "react";
import { useBenchTrace, type BenchCell } from "../../api/hooks";
import { Part } from "../../components/Panel";
import { Failure } from "../../components/states";
import { TraceView } from "../../components/Trace";

/** The way of the value in hand, from its source cell. */
export function TraceSection({ path }: { path: BenchCell }) {
  const [open, setOpen] = useState(false);
  const traced = useBenchTrace(path, open);
  if (!open)
    return (
      <Button onClick={() => setOpen(true)} sx={{ mb: 1 }}>
        Where row {path.row} gets it from
      </Button>
    );
  return (
    <Part title={`Where row ${path.row} gets it from`}>
      {traced.isError && <Failure error={traced.error} />}
      {traced.data && <TraceView traced={traced.data} />}
    </Part>
  );
}
