/** How a product stands in the store: live, hidden, archived, or deleted; each change a run of its own. */
import Divider from "@mui/material/Divider";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { STATES } from "../../components/words";
import { useUndo } from "../../shell/undo";

const OUT = "out";
type State = Schemas["ProductLine"]["state"];

/** The state, changed by choosing another. */
export function WriteState({ store, product }: { store: number; product: Schemas["ProductLine"] }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const navigate = useNavigate();
  const write = useMutation({
    mutationFn: ({ to, saw }: { to: State; saw: State }) =>
      take(
        api.PUT("/api/v1/stores/{store_id}/products/{key}", {
          params: { path: { store_id: store, key: product.key } },
          body: { state: to, saw_state: saw },
        }),
      ),
    onSuccess: (_, { to, saw }) => {
      undo.did(`Now ${to}`, () => write.mutateAsync({ to: saw, saw: to }));
      return queries.invalidateQueries({ queryKey: ["catalog", store] });
    },
    onError: undo.failed,
  });
  /** Deleting is looked at first, as it is for many. */
  const remove = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/stores/{store_id}/states", {
          params: { path: { store_id: store } },
          body: {
            to: OUT,
            category: "",
            search: "",
            state: "",
            where: [{ field: "$key", test: "is", value: product.key }],
          },
        }),
      ),
    onSuccess: ({ id }) => navigate(`/s/${store}/runs/${id}`),
    onError: undo.failed,
  });
  return (
    <TextField
      select
      size="small"
      value={product.state}
      disabled={write.isPending || remove.isPending}
      onChange={(e) =>
        e.target.value === OUT
          ? remove.mutate()
          : write.mutate({ to: e.target.value as State, saw: product.state })
      }
      slotProps={{ htmlInput: { "aria-label": "State" } }}
    >
      {STATES.map((one) => (
        <MenuItem key={one} value={one}>
          {one}
        </MenuItem>
      ))}
      <Divider />
      <MenuItem value={OUT}>Delete it …</MenuItem>
    </TextField>
  );
}
