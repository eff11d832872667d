/** A product as a shop would show it: pictures, name, price, texts and facts. */
import Box from "@mui/material/Box";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useState, type ReactNode } from "react";
import type { StoreField } from "../api/hooks";
import { plainText } from "./richText";
import { onDay, pictureAddress } from "./words";

interface ShopViewProps {
  title: string;
  content: Record<string, string>;
  fields: StoreField[];
  /** The title is the heading of its place, or one among others. */
  heading: "h1" | "h2";
  /** What stands between the price and the text. */
  children?: ReactNode;
}

/** One product as a shop would show it. */
export function ShopView({ title, content, fields, heading, children }: ShopViewProps) {
  const value = (role: string) => {
    const field = fields.find((f) => f.role === role);
    return field ? content[field.name] : undefined;
  };
  const pictures = picturesOf(value, title);
  const [shown, setShown] = useState(0);
  const [language, setLanguage] = useState("");
  const languages = [
    ...new Set(fields.filter((f) => f.language && content[f.name]).map((f) => f.language ?? "")),
  ];
  const inLanguage = (role: string) => {
    const base = fields.find((f) => f.role === role);
    const translated = fields.find((f) => f.language === language && f.of === base?.name);
    return language ? translated && content[translated.name] : base && content[base.name];
  };
  const currency = fields.find((f) => f.role === "price")?.currency ?? "";
  const stock = Number(value("stock") ?? 0);
  const facts = fields.filter((f) => f.group === "Properties" || f.group === "Measures");
  return (
    <Box component="section" aria-label="As a shop shows it">
      <Box
        sx={{
          bgcolor: "#f4f1ea",
          borderRadius: 1,
          overflow: "hidden",
          aspectRatio: "2 / 1",
          display: "flex",
          justifyContent: "center",
        }}
      >
        {pictures.length ? (
          <img
            src={(pictures[shown] ?? pictures[0])?.address}
            alt={(pictures[shown] ?? pictures[0])?.says}
            style={{ height: "100%" }}
          />
        ) : (
          <Typography color="textSecondary" sx={{ alignSelf: "center" }}>
            no picture
          </Typography>
        )}
      </Box>
      {pictures.length > 1 && (
        <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
          {pictures.map((p, i) => (
            <button
              key={p.address}
              type="button"
              title={p.says}
              onClick={() => setShown(i)}
              aria-label={`Picture ${i + 1}`}
              style={{
                padding: 0,
                border:
                  i === shown
                    ? "2px solid var(--mui-palette-primary-main)"
                    : "1px solid var(--mui-palette-divider)",
                borderRadius: 4,
                background: "none",
                cursor: "pointer",
              }}
            >
              <img src={p.address} width={54} height={54} alt="" style={{ display: "block" }} />
            </button>
          ))}
        </Box>
      )}
      {languages.length > 0 && (
        <ToggleButtonGroup
          exclusive
          size="small"
          value={language}
          aria-label="Language of the texts"
          onChange={(_, l: string | null) => setLanguage(l ?? "")}
          sx={{ mt: 2, "& button": { py: 0.25, px: 1 } }}
        >
          {["", ...languages].map((l) => (
            <ToggleButton key={l} value={l}>
              {l || "store"}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      )}
      <Typography
        component={heading}
        lang={language || undefined}
        sx={{ fontSize: 22, fontWeight: 600, mt: languages.length ? 1 : 2, lineHeight: 1.25 }}
      >
        {inLanguage("title") || title}
      </Typography>
      <Typography color="textSecondary">
        {[content.brand, content.product_line].filter(Boolean).join(" · ")}
      </Typography>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, my: 1.5 }}>
        <Typography sx={{ fontSize: 24, fontWeight: 650 }}>
          {value("price") ? `${value("price")} ${currency}` : "no price"}
        </Typography>
        {value("list_price") && <Typography color="textSecondary">list {value("list_price")}</Typography>}
        <Typography color={stock > 0 ? "primary" : "textSecondary"}>
          {stock > 0 ? `${stock} in stock` : "not in stock"}
        </Typography>
      </Box>
      <Levels content={content} fields={fields} />
      {children}
      <Typography lang={language || undefined} sx={{ maxWidth: 520, mb: 2, whiteSpace: "pre-line" }}>
        {plainText(inLanguage("text") ?? "")}
      </Typography>
      <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "150px 1fr", rowGap: 0.5, m: 0 }}>
        {facts
          .filter((f) => content[f.name])
          .map((f) => (
            <Box key={f.name} sx={{ display: "contents" }}>
              <Typography component="dt" color="textSecondary">
                {f.title}
              </Typography>
              <Typography component="dd" sx={{ m: 0 }}>
                {content[f.name]} {f.unit}
              </Typography>
            </Box>
          ))}
      </Box>
    </Box>
  );
}

const ABOVE = ["price", "list_price", "cost"];

/** The other prices of the product, each with the days from and to which it holds. */
function Levels({ content, fields }: { content: Record<string, string>; fields: StoreField[] }) {
  const levels = fields.filter((f) => f.kind === "money" && !ABOVE.includes(f.role ?? "") && content[f.name]);
  if (!levels.length) return null;
  const held = (word: string, field: string | null | undefined) =>
    field && content[field] ? ` ${word} ${onDay(content[field])}` : "";
  return (
    <Box component="ul" aria-label="Other prices" sx={{ m: 0, mb: 1.5, p: 0, listStyle: "none" }}>
      {levels.map((f) => (
        <Typography key={f.name} component="li">
          <span className="quiet">{f.title || f.name} </span>
          <b>
            {content[f.name]} {f.currency}
          </b>
          <span className="quiet">
            {held("from", f.starts)}
            {held("to", f.ends)}
          </span>
        </Typography>
      ))}
    </Box>
  );
}

/** The pictures in order, each with what it shows: its own text, or the product's title. */
function picturesOf(value: (role: string) => string | undefined, title: string) {
  const links = [value("picture") ?? "", ...(value("pictures")?.split(" | ") ?? [])];
  const texts = [value("picture_text") ?? "", ...(value("picture_texts")?.split(" | ") ?? [])];
  return links.flatMap((link, i) => {
    const address = pictureAddress(link);
    return address ? [{ address, says: texts[i] || title }] : [];
  });
}
