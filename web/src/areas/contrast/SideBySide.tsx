/** What two crosswalks make of one delivery, line by line. Nothing of it is saved or applied. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useParams, useSearchParams } from "react-router";
import { LINES_PAGE, useContrast, useContrastLines, type ContrastView } from "../../api/contrasts";
import { Pager } from "../../components/Pager";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { Lines } from "./Lines";
import { Underway } from "./Underway";

/** The one that the address names. */
export function SideBySide() {
  const id = Number(useParams().contrast);
  const asked = useContrast(id);
  if (asked.isPending) return <Waiting what="both sides" />;
  if (asked.isError)
    return (
      <>
        <Failure error={asked.error} retry={() => void asked.refetch()} />
        <Typography color="textSecondary" sx={{ px: 2 }}>
          Only the last ten of a feed are kept. Ask once more: under Prices, in the versions of the crosswalk,
          or at a prepared run.
        </Typography>
      </>
    );
  const one = asked.data;
  return (
    <Box sx={{ display: "flex", flexDirection: "column", minHeight: 0, flex: 1 }}>
      <Box sx={{ px: 1.5, py: 1, borderBottom: 1, borderColor: "divider" }}>
        <Typography variant="h2">
          What changes from {one.before} to {one.after}
        </Typography>
        <Typography variant="caption" color="textSecondary" component="div">
          {one.file_name}
          {one.status === "ready" &&
            ` · ${count(one.rows, "row", "rows")} · ${count(one.lines, "line differs", "lines differ")}`}
          {" · nothing of it is saved or applied"}
        </Typography>
        <Underway of={one} />
      </Box>
      {one.status === "ready" &&
        (one.lines ? (
          <Ready one={one} />
        ) : (
          <Nothing title="They do the same">
            Every row of this delivery becomes the same product with the same values by either.
          </Nothing>
        ))}
    </Box>
  );
}

function Ready({ one }: { one: ContrastView }) {
  const [params, setParams] = useSearchParams();
  const said = params.get("about");
  const about = said !== null && one.differences[Number(said)] ? Number(said) : null;
  const search = params.get("search") ?? "";
  const page = Number(params.get("page") ?? 0);
  const lines = useContrastLines(one, { about, search, page });
  const show = (to: Record<string, string | null>) =>
    setParams(
      (now) => {
        for (const [name, value] of Object.entries({ page: null, ...to }))
          if (value) now.set(name, value);
          else now.delete(name);
        return now;
      },
      { replace: true },
    );
  return (
    <Box sx={{ display: "flex", minHeight: 0, flex: 1 }}>
      <Box
        component="nav"
        aria-label="In what they differ"
        sx={{ width: 300, flex: "none", overflowY: "auto", borderRight: 1, borderColor: "divider", py: 1 }}
      >
        <Choice on={about === null} onChoose={() => show({ about: null })}>
          All {count(one.lines, "line", "lines")}
        </Choice>
        {one.differences.map((difference, at) => (
          <Choice key={at} on={about === at} onChoose={() => show({ about: String(at) })}>
            {difference.said}
          </Choice>
        ))}
      </Box>
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, py: 0.75 }}>
          <SearchField
            label="Search"
            placeholder="Key, name or reason"
            value={search}
            width={240}
            onSearch={(text) => show({ search: text })}
          />
          <Typography color="textSecondary" sx={{ flex: 1 }}>
            {lines.data && count(lines.data.total, "line", "lines")}
          </Typography>
          <Pager
            size={LINES_PAGE}
            total={lines.data?.total ?? 0}
            page={page}
            onPage={(to) => show({ page: String(to) })}
          />
        </Box>
        {lines.isPending && <Waiting what="lines" />}
        {lines.isError && <Failure error={lines.error} retry={() => void lines.refetch()} />}
        {lines.data && <Lines one={one} about={about} lines={lines.data.lines} />}
      </Box>
    </Box>
  );
}

interface ChoiceProps {
  on: boolean;
  onChoose: () => void;
  children: React.ReactNode;
}

/** A difference, whose lines are shown. */
function Choice({ on, onChoose, children }: ChoiceProps) {
  return (
    <Box
      component="button"
      type="button"
      className="plain-button"
      aria-pressed={on}
      onClick={onChoose}
      sx={{
        display: "block",
        width: "100%",
        textAlign: "left",
        px: 1.5,
        py: 0.75,
        lineHeight: 1.35,
        borderLeft: "3px solid",
        borderColor: on ? "primary.main" : "transparent",
        ...(on && { bgcolor: "action.selected" }),
      }}
    >
      {children}
    </Box>
  );
}
