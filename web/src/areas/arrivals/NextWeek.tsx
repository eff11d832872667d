/** Demo only: lets the invented supplier send its next file. */
import Button from "@mui/material/Button";
import Tooltip from "@mui/material/Tooltip";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";

/** The button that lets the supplier's next file arrive; nothing outside the demo. */
export function NextWeek({ feed }: { feed: number }) {
  const queries = useQueryClient();
  const params = { path: { feed_id: feed } };
  const next = useQuery({
    queryKey: ["demo", feed],
    queryFn: () => take(api.GET("/api/v1/demo/feeds/{feed_id}/next", { params })),
  });
  const arrive = useMutation({
    mutationFn: () => take(api.POST("/api/v1/demo/feeds/{feed_id}/next", { params })),
    onSuccess: () => queries.invalidateQueries(),
  });
  if (!next.data?.file_name) return null;
  return (
    <Tooltip describeChild title={`Demo: the supplier sends ${next.data.file_name}`}>
      <Button color="inherit" disabled={arrive.isPending} onClick={() => arrive.mutate()}>
        Let a week pass
      </Button>
    </Tooltip>
  );
}
