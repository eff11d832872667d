/** What is decided of a supplier's articles: listed, forgotten, out and in as a file. */
import Close from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { PAGE, usePairings, type MatchingView } from "../../api/matching";
import { FileButton } from "../../components/FileButton";
import { Panel } from "../../components/Panel";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago } from "../../components/words";
import { useDecide, useTakePairings } from "./useDecide";

interface PairingsProps {
  feed: number;
  matching: MatchingView;
  onClose: () => void;
}

/** The panel of all that is decided. */
export function Pairings({ feed, matching, onClose }: PairingsProps) {
  const [search, setSearch] = useState("");
  const [page, setPage] = useState(0);
  const pairings = usePairings(feed, search, page * PAGE);
  const decide = useDecide(feed);
  const taken = useTakePairings(feed);
  const forget = (article: string) => decide([{ article, decision: null }], `${article} is open again`);
  const total = pairings.data?.total ?? 0;
  return (
    <Panel
      title="Decided articles"
      subtitle={`Of ${matching.supplier}, for all its feeds`}
      label="Decided articles"
      width={400}
      onClose={onClose}
    >
      <Box sx={{ display: "flex", gap: 1, mb: 1 }}>
        <Button component="a" href={`/api/v1/feeds/${feed}/pairings.csv`} variant="outlined" color="inherit">
          Export as CSV
        </Button>
        <FileButton
          label="Take a CSV"
          name="Pairings as CSV"
          busy={taken.isPending}
          onFile={(file) => taken.mutate(file)}
        />
      </Box>
      <SearchField
        label="Search in the decided articles"
        placeholder="Article or product"
        value={search}
        width={240}
        onSearch={(text) => {
          setSearch(text);
          setPage(0);
        }}
      />
      {taken.isError && <Failure error={taken.error} />}
      {pairings.isPending && <Waiting what="pairings" />}
      {pairings.isError && <Failure error={pairings.error} retry={() => void pairings.refetch()} />}
      {pairings.isSuccess && !total && (
        <Nothing title={search ? "No article fits" : "Nothing is decided yet"}>
          {!search &&
            "A row that is paired with a product, made new or left out is remembered here by its article."}
        </Nothing>
      )}
      <Box component="ul" sx={{ listStyle: "none", m: 0, p: 0 }} aria-label="Articles">
        {pairings.data?.pairings.map((line) => (
          <Box
            component="li"
            key={line.article}
            sx={{ display: "flex", alignItems: "center", borderBottom: 1, borderColor: "divider", py: 0.5 }}
          >
            <Box sx={{ flex: 1, minWidth: 0 }}>
              <Typography noWrap title={line.title}>
                <b className="mono">{line.article}</b> {DECIDED[line.decision]}
                {line.key && <span className="mono"> {line.key}</span>} {line.title}
              </Typography>
              <Typography variant="caption" color="textSecondary">
                {ago(line.at)}
                {line.author && ` by ${line.author}`}
              </Typography>
            </Box>
            <IconButton
              size="small"
              aria-label={`Forget what is decided of ${line.article}`}
              onClick={() => forget(line.article)}
            >
              <Close fontSize="inherit" />
            </IconButton>
          </Box>
        ))}
      </Box>
      {total > PAGE && (
        <Box sx={{ display: "flex", gap: 1, pt: 1 }}>
          <Button color="inherit" disabled={page === 0} onClick={() => setPage(page - 1)}>
            Earlier
          </Button>
          <Button color="inherit" disabled={(page + 1) * PAGE >= total} onClick={() => setPage(page + 1)}>
            Later
          </Button>
        </Box>
      )}
    </Panel>
  );
}

const DECIDED = {
  product: "is",
  new: "is a new product",
  leave: "is left out",
  lost: "waits: its product is no longer in the catalog",
};
