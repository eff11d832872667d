/** What a try of a source has found. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Tried } from "../../api/sources";
import { Mark } from "../../components/Mark";
import { ago, bytes, count } from "../../components/words";

export function Found({ tried, onTrust }: { tried: Tried; onTrust: (key: string) => void }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 1.5 }}>
      {tried.error && (
        <Alert
          severity={tried.host_key ? "info" : "error"}
          variant="outlined"
          action={
            tried.host_key && (
              <Button variant="contained" onClick={() => onTrust(tried.host_key ?? "")}>
                Trust this key
              </Button>
            )
          }
        >
          <strong>{tried.error}</strong>
          <div>{tried.remedy}</div>
        </Alert>
      )}
      {!tried.error && !tried.files?.length && (
        <Alert severity="warning" variant="outlined">
          <strong>It can be reached, and no file of that name is there.</strong>
          <div>Look at the folder and at what the files are called.</div>
        </Alert>
      )}
      {!!tried.files?.length && <Files tried={tried} />}
      {tried.sample && <Sample sample={tried.sample} />}
    </Box>
  );
}

function Files({ tried }: { tried: Tried }) {
  const files = tried.files ?? [];
  const more = (tried.count ?? 0) - files.length;
  return (
    <Box component="section" aria-label="Files there">
      <Typography variant="h3" gutterBottom>
        {count(tried.count ?? 0, "file is there", "files are there")}
      </Typography>
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none", maxHeight: 180, overflow: "auto" }}>
        {files.map((file) => (
          <Box
            component="li"
            key={file.name}
            sx={{ display: "grid", gridTemplateColumns: "20px 1fr 90px 110px", columnGap: 1 }}
          >
            <Mark
              state={file.taken ? "changed" : "arrived"}
              says={file.taken ? "is taken first" : "is left there"}
            />
            <Typography noWrap title={file.name} sx={{ fontWeight: file.taken ? 550 : 400 }}>
              {file.name}
            </Typography>
            <Typography color="textSecondary" sx={{ textAlign: "right" }}>
              {file.size === null || file.size === undefined ? "" : bytes(file.size)}
            </Typography>
            <Typography color="textSecondary">{file.modified ? ago(file.modified) : ""}</Typography>
          </Box>
        ))}
      </Box>
      {more > 0 && <Typography color="textSecondary">and {more.toLocaleString("en")} older ones</Typography>}
    </Box>
  );
}

function Sample({ sample }: { sample: NonNullable<Tried["sample"]> }) {
  return (
    <Box component="section" aria-label="The first file">
      <Typography variant="h3" gutterBottom>
        {sample.name}, {bytes(sample.size)}
        {sample.format && `, ${sample.format}`}
      </Typography>
      {sample.said ? (
        <Alert severity="warning" variant="outlined">
          <strong>It comes, and cannot be read as it is.</strong>
          <div>{sample.said}</div>
        </Alert>
      ) : (
        <Box sx={{ overflow: "auto", border: 1, borderColor: "divider" }}>
          <Box component="table" className="mono" sx={{ borderCollapse: "collapse", fontSize: 12 }}>
            <thead>
              <tr>
                {sample.columns.map((name) => (
                  <Box component="th" key={name} sx={{ ...CELL, textAlign: "left", fontWeight: 600 }}>
                    {name}
                  </Box>
                ))}
              </tr>
            </thead>
            <tbody>
              {sample.rows.map((row, n) => (
                <tr key={n}>
                  {row.map((cell, at) => (
                    <Box component="td" key={at} sx={CELL}>
                      {cell}
                    </Box>
                  ))}
                </tr>
              ))}
            </tbody>
          </Box>
        </Box>
      )}
    </Box>
  );
}

const CELL = {
  px: 0.75,
  py: 0.25,
  whiteSpace: "nowrap",
  maxWidth: 220,
  overflow: "hidden",
  textOverflow: "ellipsis",
  borderBottom: 1,
  borderColor: "divider",
} as const;
