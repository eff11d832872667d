/** A product of the store, found by its key or title. */
import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useDebounce } from "use-debounce";
import { api, take } from "../../api/client";

interface ProductChoiceProps {
  store: number;
  label: string;
  onChoose: (key: string) => void;
}

/** Asks the catalog while it is typed. */
export function ProductChoice({ store, label, onChoose }: ProductChoiceProps) {
  const [typed, setTyped] = useState("");
  const [search] = useDebounce(typed.trim(), 200);
  const found = useQuery({
    queryKey: ["catalog", store, "choice", search],
    enabled: search.length > 1,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      take(
        api.GET("/api/v1/stores/{store_id}/products", {
          params: { path: { store_id: store }, query: { search, limit: 20 } },
          signal,
        }),
      ),
  });
  return (
    <Autocomplete
      value={null}
      inputValue={typed}
      onInputChange={(_, text) => setTyped(text)}
      options={search.length > 1 ? (found.data?.products ?? []) : []}
      filterOptions={(options) => options}
      getOptionLabel={(product) => product.key}
      renderOption={({ key, ...props }, product) => (
        <li key={key} {...props}>
          <span className="clip">
            <b className="mono">{product.key}</b> {product.title}
          </span>
        </li>
      )}
      noOptionsText={search.length > 1 ? "No product has this" : "Type a key or a title"}
      autoHighlight
      blurOnSelect
      clearOnBlur
      onChange={(_, product) => {
        setTyped("");
        if (product) onChoose(product.key);
      }}
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder="another product"
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps.htmlInput, "aria-label": label },
          }}
        />
      )}
      sx={{ width: 170, "& .MuiOutlinedInput-root": { py: "1px !important" } }}
    />
  );
}
