/** The frame of every place of a store. */
import DarkModeOutlined from "@mui/icons-material/DarkModeOutlined";
import LightModeOutlined from "@mui/icons-material/LightModeOutlined";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import { useColorScheme } from "@mui/material/styles";
import Tooltip from "@mui/material/Tooltip";
import { NavLink, Outlet, useNavigate, useParams } from "react-router";
import { useStores } from "../api/hooks";
import { MessageBell } from "./MessageBell";
import { Person } from "./Person";
import { RunNews } from "./RunNews";
import { UndoProvider } from "./undo";

const PLACES = [
  ["arrivals", "Arrivals"],
  ["catalog", "Catalog"],
  ["outbound", "Outbound"],
  ["runs", "Runs"],
  ["schema", "Store"],
] as const;

/** The look of a link to a place. */
export const tab = {
  color: "text.secondary",
  textDecoration: "none",
  fontSize: 13,
  px: 1.25,
  height: "100%",
  display: "inline-flex",
  alignItems: "center",
  borderBottom: "2px solid transparent",
  "&:hover": { color: "text.primary" },
  "&.active": { color: "text.primary", borderColor: "primary.main", fontWeight: 600 },
} as const;

/** The store that the address names. */
export function useStoreId(): number {
  return Number(useParams().store);
}

/** Stores and their places above, the place itself below. */
export function Shell() {
  const store = useStoreId();
  return (
    <UndoProvider>
      <Box sx={{ height: "100%", display: "flex", flexDirection: "column" }}>
        <Box
          component="header"
          sx={{
            height: 42,
            flex: "none",
            display: "flex",
            alignItems: "center",
            px: 1.5,
            gap: 1,
            borderBottom: 1,
            borderColor: "divider",
            bgcolor: "background.paper",
          }}
        >
          <StoreChoice store={store} />
          <Box component="nav" aria-label="Places" sx={{ height: "100%", display: "flex" }}>
            {PLACES.map(([path, label]) => (
              <Box key={path} component={NavLink} to={`/s/${store}/${path}`} sx={tab}>
                {label}
              </Box>
            ))}
          </Box>
          <Box sx={{ flex: 1 }} />
          <RunNews store={store} />
          <MessageBell store={store} />
          <Person />
          <SchemeSwitch />
        </Box>
        <Box component="main" sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
          <Outlet />
        </Box>
      </Box>
    </UndoProvider>
  );
}

function StoreChoice({ store }: { store: number }) {
  const stores = useStores();
  const navigate = useNavigate();
  return (
    <Box sx={{ display: "flex", alignItems: "center", mr: 1 }}>
      <img src="/mark.svg" width={22} height={22} alt="Nomotax" />
      <Select
        variant="standard"
        disableUnderline
        value={stores.data ? store : ""}
        onChange={(e) => navigate(`/s/${e.target.value}/arrivals`)}
        inputProps={{ "aria-label": "Store" }}
        sx={{ ml: 1, fontWeight: 600, fontSize: 13.5 }}
      >
        {(stores.data?.stores ?? []).map((s) => (
          <MenuItem key={s.id} value={s.id}>
            {s.name}
          </MenuItem>
        ))}
      </Select>
    </Box>
  );
}

function SchemeSwitch() {
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  const label = dark ? "Light paper" : "Dark paper";
  return (
    <Tooltip title={label}>
      <IconButton size="small" aria-label={label} onClick={() => setMode(dark ? "light" : "dark")}>
        {dark ? <LightModeOutlined fontSize="small" /> : <DarkModeOutlined fontSize="small" />}
      </IconButton>
    </Tooltip>
  );
}
