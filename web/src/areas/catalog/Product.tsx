/** One product as a shop would show it, beside its record and its history. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useSchema, type StoreField } from "../../api/hooks";
import { Failure, Waiting } from "../../components/states";
import { plainText } from "../../components/richText";
import { onDay, pictureAddress } from "../../components/words";
import { Coming } from "./Coming";
import { Offers } from "./Offers";
import { Record } from "./Record";
import { Variants } from "./Variants";
import { useStoreId } from "../../shell/Shell";

type Detail = Schemas["ProductDetail"];

/** One product as a shop shows it, beside its record and its history. */
export function Product() {
  const store = useStoreId();
  const navigate = useNavigate();
  const key = useParams().key ?? "";
  const schema = useSchema(store);
  const detail = useQuery({
    queryKey: ["catalog", store, "product", key],
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/products/{key}", {
          params: { path: { store_id: store, key } },
        }),
      ),
  });
  if (detail.isPending || schema.isPending) return <Waiting what="the product" />;
  if (detail.isError) return <Failure error={detail.error} />;
  if (schema.isError) return <Failure error={schema.error} />;
  const fields = schema.data.product_schema.fields;
  return (
    <Box sx={{ flex: 1, minHeight: 0, overflowY: "auto" }}>
      <Box sx={{ px: 2.5, pt: 1.5 }}>
        <Button color="inherit" onClick={() => void navigate(-1)}>
          ← Back
        </Button>
        <Typography component="span" color="textSecondary" sx={{ ml: 1 }}>
          {detail.data.product.category.split(" > ").map((part, i, all) => (
            <span key={part}>
              {i > 0 && " › "}
              <Link
                to={`/s/${store}/catalog?category=${encodeURIComponent(all.slice(0, i + 1).join(" > "))}`}
              >
                {part}
              </Link>
            </span>
          ))}
        </Typography>
      </Box>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "minmax(420px, 1fr) minmax(420px, 1fr)",
          gap: 4,
          p: 2.5,
          maxWidth: 1240,
          mx: "auto",
        }}
      >
        <ShopView detail={detail.data} fields={fields} />
        <Box sx={{ minWidth: 0 }}>
          <Coming store={store} coming={detail.data.coming} />
          <Offers store={store} product={detail.data.product.key} fields={fields} />
          <Record store={store} detail={detail.data} fields={fields} />
        </Box>
      </Box>
    </Box>
  );
}

function ShopView({ detail, fields }: { detail: Detail; fields: StoreField[] }) {
  const { content } = detail.product;
  const value = (role: string) => {
    const field = fields.find((f) => f.role === role);
    return field ? content[field.name] : undefined;
  };
  const pictures = picturesOf(value, detail.product.title);
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
        component="h1"
        lang={language || undefined}
        sx={{ fontSize: 22, fontWeight: 600, mt: languages.length ? 1 : 2, lineHeight: 1.25 }}
      >
        {inLanguage("title") || detail.product.title}
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
      {detail.variants.length > 1 && (
        <Variants variants={detail.variants} own={detail.product.key} currency={currency} />
      )}
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
