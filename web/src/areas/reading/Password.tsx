/** The password of a feed's archives; kept for the next delivery, never shown again. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import type { DeliveryView } from "../../api/hooks";

/** Asks for the password of an archive. */
export function Password({ feed, view }: { feed: number; view: DeliveryView }) {
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const set = useMutation({
    mutationFn: async () => {
      await take(
        api.PUT("/api/v1/feeds/{feed_id}/password", {
          params: { path: { feed_id: feed } },
          body: { password: text },
        }),
      );
      return take(
        api.POST("/api/v1/deliveries/{delivery_id}/read", { params: { path: { delivery_id: view.id } } }),
      );
    },
    onSuccess: () => queries.invalidateQueries(),
  });
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, p: 2 }}
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate();
      }}
    >
      <TextField
        label={view.has_password ? "Another password for this feed" : "Password of this feed's archives"}
        type="password"
        autoComplete="off"
        value={text}
        onChange={(e) => setText(e.target.value)}
        sx={{ width: 300 }}
      />
      <Button type="submit" variant="contained" disabled={!text || set.isPending}>
        Open it
      </Button>
    </Box>
  );
}
