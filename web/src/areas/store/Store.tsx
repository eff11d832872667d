/** The store itself: its fields, its categories, its ladders, rates and look-ups, what was removed. */
import Box from "@mui/material/Box";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import type { ComponentType } from "react";
import { useSearchParams } from "react-router";
import { useStoreId } from "../../shell/Shell";
import { Fields } from "./Fields";
import { Ladders } from "./Ladders";
import { Rates } from "./Rates";
import { Removed } from "./Removed";
import { Sources } from "./Sources";
import { Tree } from "./Tree";

const VIEWS: [string, string, ComponentType<{ store: number }>][] = [
  ["fields", "Fields", Fields],
  ["categories", "Categories", Tree],
  ["ladders", "Price ladders", Ladders],
  ["sources", "Sources", Sources],
  ["rates", "Rates and look-ups", Rates],
  ["removed", "Removed", Removed],
];

/** One part at a time; the address says which. */
export function Store() {
  const store = useStoreId();
  const [params, setParams] = useSearchParams();
  const [view, , Part] = VIEWS.find(([key]) => key === params.get("view")) ?? VIEWS[0]!;
  return (
    <>
      <Tabs
        value={view}
        onChange={(_, v: string) => setParams(v === "fields" ? {} : { view: v }, { replace: true })}
        aria-label="Parts of the store"
        sx={{ px: 2.5, mb: 2, borderBottom: 1, borderColor: "divider", flex: "none" }}
      >
        {VIEWS.map(([key, label]) => (
          <Tab key={key} value={key} label={label} />
        ))}
      </Tabs>
      {view === "fields" ? (
        <Part store={store} />
      ) : (
        <Box sx={{ overflow: "auto", p: 2.5, pt: 0, maxWidth: 1180, width: "100%", mx: "auto" }} tabIndex={0}>
          <Part store={store} />
        </Box>
      )}
    </>
  );
}
