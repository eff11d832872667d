/** Lines in which two crosswalks differ: of one field as columns, of all with what differs. */
import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { ContrastLine, ContrastView } from "../../api/contrasts";
import { Nothing } from "../../components/states";
import { signed } from "../../components/words";
import { useStoreId } from "../../shell/Shell";

interface LinesProps {
  one: ContrastView;
  about: number | null;
  lines: ContrastLine[];
}

export function Lines({ one, about, lines }: LinesProps) {
  const field = about === null ? "" : (one.differences[about]?.field ?? "");
  if (!lines.length) return <Nothing title="No line">Nothing here has what is searched for.</Nothing>;
  return (
    <Box tabIndex={0} role="group" aria-label="Lines" sx={{ flex: 1, overflow: "auto" }}>
      <Table size="small" stickyHeader>
        <TableHead>
          <TableRow>
            <TableCell>Row</TableCell>
            <TableCell>Product</TableCell>
            {field ? (
              <>
                <TableCell>By {one.before}</TableCell>
                <TableCell>By {one.after}</TableCell>
                <TableCell align="right">Moves</TableCell>
                <TableCell>In the store now</TableCell>
              </>
            ) : (
              <>
                <TableCell>What becomes of it</TableCell>
                <TableCell>What differs</TableCell>
              </>
            )}
          </TableRow>
        </TableHead>
        <TableBody>
          {lines.map((line, at) => (
            <TableRow key={`${line.row} ${line.key} ${at}`} hover>
              <TableCell className="mono">{line.row}</TableCell>
              <TableCell sx={{ minWidth: 220 }}>
                <Product line={line} />
              </TableCell>
              {field ? <OfField line={line} field={field} /> : <OfLine one={one} line={line} />}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

function Product({ line }: { line: ContrastLine }) {
  const store = useStoreId();
  const there = line.fate_before === "known" || line.fate_after === "known";
  const address = `/s/${store}/catalog/${encodeURIComponent(line.key ?? "")}`;
  return (
    <>
      {line.title || <span className="quiet">no name</span>}{" "}
      <span className="quiet mono">{there ? <Link to={address}>{line.key}</Link> : line.key}</span>
      {line.other !== null && <span className="mono"> → {line.other}</span>}
    </>
  );
}

/** A value, or that there is none. */
function Shown({ value }: { value: string | null }) {
  return value === null ? <span className="quiet">empty</span> : <>{value}</>;
}

function OfField({ line, field }: { line: ContrastLine; field: string }) {
  const value = line.values.find((one) => one.field === field);
  if (!value) return <TableCell colSpan={4} />;
  return (
    <>
      <TableCell>
        <Shown value={value.before} />
      </TableCell>
      <TableCell sx={{ fontWeight: 600 }}>
        <Shown value={value.after} />
      </TableCell>
      <TableCell align="right" className="mono">
        {value.percent != null && `${signed(value.percent)}`}
      </TableCell>
      <TableCell>
        {line.fate_after === "new" ? (
          <span className="quiet">not there yet</span>
        ) : (
          <Shown value={value.store} />
        )}
      </TableCell>
    </>
  );
}

/** What becomes of a row, as a table says it. */
const FATES: Record<string, string> = { known: "in the store", new: "new", "no line": "no line" };

function OfLine({ one, line }: { one: ContrastView; line: ContrastLine }) {
  const says = (fate: string) => FATES[fate] ?? fate;
  const same = line.fate_before === line.fate_after;
  return (
    <>
      <TableCell sx={{ minWidth: 160 }}>
        {same ? (
          <span className="quiet">{says(line.fate_after)}</span>
        ) : (
          <>
            {says(line.fate_before)} → <b>{says(line.fate_after)}</b>
          </>
        )}
        {[line.reason_before, line.reason_after].map(
          (why, at) =>
            why && (
              <Typography key={at} variant="caption" component="div" color="textSecondary">
                {at ? one.after : one.before}: {why}
              </Typography>
            ),
        )}
      </TableCell>
      <TableCell>
        {line.values.map((value) => (
          <Typography key={value.field} variant="body2" component="div">
            <span className="quiet">{one.fields[value.field] ?? value.field} </span>
            <Shown value={value.before} /> →{" "}
            <b>
              <Shown value={value.after} />
            </b>
            {value.percent != null && <span className="quiet"> {signed(value.percent)}</span>}
          </Typography>
        ))}
      </TableCell>
    </>
  );
}
