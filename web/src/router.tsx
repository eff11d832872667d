/** Every place has an address. Places load when they are first opened. */
import { createBrowserRouter, Navigate } from "react-router";
import { FeedPlace } from "./shell/FeedPlace";
import { Shell } from "./shell/Shell";
import { Start } from "./shell/Start";
import { Waiting } from "./components/states";

const place = <M extends Record<string, unknown>>(load: () => Promise<M>, name: keyof M) => ({
  lazy: async () => ({ Component: (await load())[name] as React.ComponentType }),
});

/** The addresses of all places. */
export const router = createBrowserRouter([
  { path: "/", Component: Start },
  {
    path: "/s/:store",
    Component: Shell,
    HydrateFallback: () => <Waiting what="Nomotax" />,
    children: [
      { index: true, element: <Navigate to="arrivals" replace /> },
      { path: "arrivals", ...place(() => import("./areas/arrivals/Arrivals"), "Arrivals") },
      { path: "catalog", ...place(() => import("./areas/catalog/Catalog"), "Catalog") },
      { path: "catalog/:key", ...place(() => import("./areas/catalog/Product"), "Product") },
      { path: "outbound", ...place(() => import("./areas/outbound/Outbound"), "Outbound") },
      { path: "notes", ...place(() => import("./areas/notes/Notes"), "NotesPlace") },
      { path: "snapshots", ...place(() => import("./areas/snapshots/Snapshots"), "Snapshots") },
      { path: "messages", ...place(() => import("./areas/messages/Messages"), "MessagesPlace") },
      { path: "runs", ...place(() => import("./areas/runs/Runs"), "Runs") },
      { path: "runs/:run", ...place(() => import("./areas/review/Review"), "Review") },
      { path: "schema", ...place(() => import("./areas/store/Store"), "Store") },
      {
        path: "feeds/:feed",
        Component: FeedPlace,
        children: [
          { index: true, element: <Navigate to="bench" replace /> },
          { path: "profile", ...place(() => import("./areas/profile/Profile"), "Profile") },
          { path: "reading", ...place(() => import("./areas/reading/Reading"), "ReadingPlace") },
          { path: "unusual", ...place(() => import("./areas/unusual/Unusual"), "UnusualPlace") },
          { path: "bench", ...place(() => import("./areas/bench/Bench"), "Bench") },
          { path: "matching", ...place(() => import("./areas/matching/Matching"), "Matching") },
          { path: "range", ...place(() => import("./areas/range/Range"), "Range") },
          { path: "guards", ...place(() => import("./areas/guards/Guards"), "Guards") },
          {
            path: "categories",
            ...place(() => import("./areas/categories/Categories"), "Categories"),
          },
          { path: "values", ...place(() => import("./areas/values/Values"), "Values") },
          {
            path: "beside/:contrast",
            ...place(() => import("./areas/contrast/SideBySide"), "SideBySide"),
          },
          { path: "prices", ...place(() => import("./areas/prices/Prices"), "Prices") },
        ],
      },
      { path: "*", Component: () => <Waiting what="" missing /> },
    ],
  },
]);
