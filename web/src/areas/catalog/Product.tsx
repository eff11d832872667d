/** One product as a shop would show it, beside its record and its history. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { api, take } from "../../api/client";
import { useSchema } from "../../api/hooks";
import { Failure, Waiting } from "../../components/states";
import { Notes } from "../../components/Notes";
import { ShopView } from "../../components/ShopView";
import { Coming } from "./Coming";
import { ProductTroubles } from "./Troubles";
import { Offers } from "./Offers";
import { Record } from "./Record";
import { Variants } from "./Variants";
import { useStoreId } from "../../shell/Shell";

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
        <ShopView
          title={detail.data.product.title}
          content={detail.data.product.content}
          fields={fields}
          heading="h1"
        >
          {detail.data.variants.length > 1 && (
            <Variants
              variants={detail.data.variants}
              own={detail.data.product.key}
              currency={fields.find((f) => f.role === "price")?.currency ?? ""}
            />
          )}
        </ShopView>
        <Box sx={{ minWidth: 0 }}>
          <ProductTroubles store={store} product={detail.data.product.key} />
          <Coming store={store} coming={detail.data.coming} />
          <Offers store={store} product={detail.data.product.key} fields={fields} />
          <Record store={store} detail={detail.data} fields={fields} />
          <Notes store={store} product={detail.data.product.key} />
        </Box>
      </Box>
    </Box>
  );
}
