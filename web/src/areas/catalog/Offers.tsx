/** What several feeds say of a product, side by side, and whose values hold. */
import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { StoreField } from "../../api/hooks";
import { useOffers, type ProductOffers } from "../../api/offers";
import { Mark } from "../../components/Mark";
import { Failure } from "../../components/states";
import { ago } from "../../components/words";

/** Fields that are looked at whether they differ or not. */
const ALWAYS = ["cost", "price", "stock"];

interface OffersProps {
  store: number;
  product: string;
  fields: StoreField[];
}

/** Nothing where less than two feeds offer the product. */
export function Offers({ store, product, fields }: OffersProps) {
  const offers = useOffers(store, product);
  if (offers.isError) return <Failure error={offers.error} retry={() => void offers.refetch()} />;
  if (!offers.data || offers.data.offers.length < 2) return null;
  return (
    <Box component="section" aria-label="Offers" sx={{ mb: 3 }}>
      <Box sx={{ display: "flex", alignItems: "baseline", justifyContent: "space-between", mb: 0.5 }}>
        <Typography variant="h2">Offers</Typography>
        <Link to={`/s/${store}/schema?view=sources`}>Whose values hold</Link>
      </Box>
      <Beside found={offers.data} fields={fields} />
    </Box>
  );
}

function Beside({ found, fields }: { found: ProductOffers; fields: StoreField[] }) {
  const { offers } = found;
  const holds = new Map(found.fields.map((one) => [one.field, one]));
  const shown = fields.filter((f) => {
    const said = offers.map((one) => one.values[f.name]).filter(Boolean);
    return (ALWAYS.includes(f.role ?? "") && said.length) || (said.length > 1 && new Set(said).size > 1);
  });
  return (
    <Box sx={{ overflowX: "auto" }}>
      <Table size="small" aria-label="What each feed says">
        <TableHead>
          <TableRow>
            <TableCell />
            {offers.map((one) => (
              <TableCell key={one.feed_id} sx={{ verticalAlign: "bottom" }}>
                {one.feed}
                <Typography variant="caption" color="textSecondary" component="div">
                  {ago(one.day)}
                  {one.taken && <b> · the product goes by it</b>}
                </Typography>
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map((field) => (
            <TableRow key={field.name}>
              <TableCell>{field.title || field.name}</TableCell>
              {offers.map((one) => (
                <TableCell key={one.feed_id} sx={{ maxWidth: 200 }} title={one.values[field.name]}>
                  <Said
                    value={one.values[field.name]}
                    holds={holds.get(field.name)?.feed_id === one.feed_id}
                    kept={holds.get(field.name)?.kept ?? false}
                  />
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {found.fields.length === 0 && (
        <Typography variant="caption" color="textSecondary">
          No order says whose values hold: each feed writes what its rules allow.
        </Typography>
      )}
    </Box>
  );
}

interface SaidProps {
  value: string | undefined;
  holds: boolean;
  kept: boolean;
}

function Said({ value, holds, kept }: SaidProps) {
  if (!value) return <span className="quiet">–</span>;
  const says = kept ? "would hold, but the field is kept by hand" : "holds";
  return (
    <span className="clip" style={{ fontWeight: holds && !kept ? 650 : 400 }}>
      {holds && <Mark state={kept ? "left" : "computed"} says={says} />} {value}
    </span>
  );
}
