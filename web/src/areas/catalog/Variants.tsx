/** The variants of a product as a table by their options. */
import Box from "@mui/material/Box";
import { Link } from "react-router";
import { useStoreId } from "../../shell/Shell";
import { crossingOf, optionsOf, type Crossing, type Variant } from "./options";

interface VariantsProps {
  variants: Variant[];
  own: string;
  currency: string;
}

const TABLE = {
  width: "100%",
  borderCollapse: "collapse",
  "& th, & td": { px: 0.75, py: 0.4, textAlign: "left", borderBottom: 1, borderColor: "paper2.line" },
  "& th": { fontWeight: 550, color: "text.secondary" },
  "& .number": { textAlign: "right" },
  "& tr.own, & td.own": { bgcolor: "action.selected", fontWeight: 650 },
} as const;

/** Two options cross each other; of more, or of one, each has its column. */
export function Variants({ variants, own, currency }: VariantsProps) {
  const crossing = crossingOf(variants);
  return (
    <Box component="section" aria-label="Variants" sx={{ mb: 2, maxHeight: 260, overflow: "auto" }}>
      {crossing ? (
        <Crossed crossing={crossing} own={own} currency={currency} />
      ) : (
        <Listed variants={variants} own={own} currency={currency} />
      )}
    </Box>
  );
}

function Crossed({ crossing, own, currency }: { crossing: Crossing; own: string; currency: string }) {
  const { down, across, at } = crossing;
  return (
    <Box component="table" sx={TABLE}>
      <thead>
        <tr>
          <th scope="col">
            {down.name} / {across.name}
          </th>
          {across.values.map((value) => (
            <th key={value} scope="col" className="number">
              {value || "—"}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {down.values.map((row) => (
          <tr key={row}>
            <th scope="row">{row || "—"}</th>
            {across.values.map((column) => {
              const one = at(row, column);
              return (
                <td key={column} className={one?.key === own ? "number own" : "number"}>
                  {one && (
                    <To variant={one} own={own}>
                      {one.price ? `${one.price} ${currency}` : one.key}
                      {one.stock && (
                        <span className="quiet" style={{ display: "block", fontSize: 12 }}>
                          {one.stock} in stock
                        </span>
                      )}
                    </To>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </Box>
  );
}

function Listed({ variants, own, currency }: VariantsProps) {
  const told = variants.map((one) => ({ one, options: optionsOf(one) }));
  const names = [...new Set(told.flatMap(({ options }) => Object.keys(options)))];
  return (
    <Box component="table" sx={TABLE}>
      <thead>
        <tr>
          {(names.length ? names : ["Variant"]).map((name) => (
            <th key={name} scope="col">
              {name}
            </th>
          ))}
          <th scope="col" className="number">
            Price
          </th>
          <th scope="col" className="number">
            In stock
          </th>
        </tr>
      </thead>
      <tbody>
        {told.map(({ one, options }) => (
          <tr key={one.key} className={one.key === own ? "own" : undefined}>
            {(names.length ? names : [""]).map((name, n) => (
              <td key={name}>
                {n === 0 ? (
                  <To variant={one} own={own}>
                    {options[name] || one.key}
                  </To>
                ) : (
                  options[name]
                )}
              </td>
            ))}
            <td className="number">{one.price && `${one.price} ${currency}`}</td>
            <td className="number">{one.stock}</td>
          </tr>
        ))}
      </tbody>
    </Box>
  );
}

function To({ variant, own, children }: { variant: Variant; own: string; children: React.ReactNode }) {
  const store = useStoreId();
  return (
    <Link
      to={`/s/${store}/catalog/${encodeURIComponent(variant.key)}`}
      replace
      aria-current={variant.key === own || undefined}
      title={variant.key}
    >
      {children}
    </Link>
  );
}
