/** A place inside its feed. */
import type { ReactNode } from "react";
import { Route, Routes } from "react-router";
import { FeedPlace } from "../shell/FeedPlace";
import { FakeServer } from "./fakeServer";
import { draw } from "./render";
import { bench, feedLine } from "./samples";

/** A server with one feed about which nothing is asked. */
export function feedServer() {
  return new FakeServer()
    .on("GET /api/v1/stores/1/arrivals", () => ({
      feeds: [feedLine()],
      upload_limit: 1000,
    }))
    .on("GET /api/v1/feeds/1/questions", () => ({ questions: [] }))
    .on("GET /api/v1/feeds/1/bench", () => bench());
}

/** Draws a place inside its feed, as the router puts it. */
export function inFeed(place: ReactNode) {
  return draw(
    <Routes>
      <Route path="/s/:store/feeds/:feed" element={<FeedPlace />}>
        <Route path="*" element={place} />
      </Route>
    </Routes>,
    "/s/1/feeds/1/here",
    "*",
  );
}
