/** What was ever answered to what arrives, by whom and when. */
import ButtonBase from "@mui/material/ButtonBase";
import Popover from "@mui/material/Popover";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { api, take } from "../api/client";
import { useStoreId } from "../shell/Shell";
import { Failure, Waiting } from "./states";
import { ago } from "./words";

interface AnsweredProps {
  kind: "value_table" | "category_table";
  table: string;
  arriving: string;
  /** What an empty answer means. */
  nothing: string;
  /** The mark of the answer, which opens the list. */
  children: ReactNode;
}

/** The mark of an answer; it opens who gave it, and what was answered before. */
export function Answered({ kind, table, arriving, nothing, children }: AnsweredProps) {
  const store = useStoreId();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const answers = useQuery({
    queryKey: ["answers", store, kind, table, arriving],
    enabled: anchor !== null,
    // Another person may have answered meanwhile.
    staleTime: 0,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/lookups/answers", {
          params: { path: { store_id: store }, query: { kind, name: table, arriving } },
        }),
      ),
  });
  const label = `Who decided ${arriving}`;
  return (
    <>
      <ButtonBase
        aria-label={label}
        aria-haspopup="dialog"
        title="Who decided it, and what was decided before"
        sx={{ borderRadius: 0.5, minWidth: 20, minHeight: 22 }}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        {children}
      </ButtonBase>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { role: "dialog", "aria-label": label, sx: { p: 1.25, maxWidth: 380 } } }}
      >
        <Typography className="mono" sx={{ overflowWrap: "anywhere", mb: 0.5 }}>
          {arriving}
        </Typography>
        {answers.isPending && <Waiting what="answers" />}
        {answers.isError && <Failure error={answers.error} retry={() => void answers.refetch()} />}
        {answers.data?.answers.length === 0 && <Typography>Nobody has answered it yet.</Typography>}
        {answers.data?.answers.map((line, index) => (
          <Typography
            key={index}
            component="div"
            color={index ? "textSecondary" : undefined}
            sx={{ py: 0.25 }}
          >
            <strong>{line.answer === null ? "open again" : line.answer || nothing}</strong>{" "}
            {line.author && `by ${line.author}, `}
            {ago(line.at)}
          </Typography>
        ))}
      </Popover>
    </>
  );
}
