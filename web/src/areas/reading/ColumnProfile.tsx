/** What one arriving column holds. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { ColumnProfile } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { CountRow, Panel, Part } from "../../components/Panel";

/** What a column looks like, in a line. */
export function looks(profile: ColumnProfile): string {
  const more = [
    profile.currency,
    profile.units?.join(", "),
    profile.language && languageOf(profile.language),
    profile.separator && `parted by ${JSON.stringify(profile.separator)}`,
  ].filter(Boolean);
  return [profile.looks_like, ...more].join(", ");
}

function languageOf(code: string): string {
  try {
    return new Intl.DisplayNames(["en"], { type: "language" }).of(code) ?? code;
  } catch {
    return code;
  }
}

/** The profile of a column, in a panel of its own. */
export function ProfilePanel({ profile, onClose }: { profile: ColumnProfile; onClose: () => void }) {
  return (
    <Panel
      title={profile.name}
      subtitle={looks(profile)}
      label={`Column ${profile.name}`}
      width={290}
      onClose={onClose}
    >
      <ProfileParts profile={profile} />
    </Panel>
  );
}

/** What is known of a column: how full, how varied, what is odd. */
export function ProfileParts({ profile }: { profile: ColumnProfile }) {
  const share = profile.rows ? Math.round((100 * profile.filled) / profile.rows) : 0;
  const most = profile.frequent[0]?.count ?? 1;
  return (
    <>
      <Part title="Filled">
        <Box sx={{ height: 6, bgcolor: "paper2.head", mb: 0.5 }}>
          <Box sx={{ height: 6, width: `${share}%`, bgcolor: "primary.main" }} />
        </Box>
        <Typography variant="body2">
          {profile.filled.toLocaleString("en")} of {profile.rows.toLocaleString("en")} ({share} %) ·{" "}
          {profile.sampled ? "about " : ""}
          {profile.distinct.toLocaleString("en")} different
        </Typography>
      </Part>
      {profile.odd && profile.odd.length > 0 && (
        <Part title="Odd">
          {profile.odd.map((o) => (
            <Typography key={o} variant="body2">
              <Mark state="question" says="worth a look" /> {o}
            </Typography>
          ))}
        </Part>
      )}
      {profile.histogram && <Spread histogram={profile.histogram} />}
      <Part title="Most frequent">
        {profile.frequent.map((v) => (
          <CountRow key={v.value} text={v.value} count={v.count} most={most} />
        ))}
      </Part>
      <Part title="Extent">
        <Typography variant="body2" color="textSecondary">
          {profile.shortest}–{profile.longest} characters
          {profile.least && ` · from ${profile.least} to ${profile.greatest}`}
          {profile.sampled && ` · looked at ${profile.sampled.toLocaleString("en")} rows spread over all`}
        </Typography>
      </Part>
    </>
  );
}

function Spread({ histogram }: { histogram: NonNullable<ColumnProfile["histogram"]> }) {
  const most = Math.max(...histogram.counts);
  return (
    <Part title="Spread">
      <Box
        role="img"
        aria-label={`Spread from ${histogram.least} to ${histogram.greatest}`}
        sx={{ display: "flex", alignItems: "flex-end", gap: "2px", height: 54 }}
      >
        {histogram.counts.map((n, i) => (
          <Box
            key={i}
            title={n.toLocaleString("en")}
            sx={{
              flex: 1,
              bgcolor: n ? "primary.main" : "divider",
              height: n ? `${Math.max(4, (100 * n) / most)}%` : "1px",
              opacity: 0.8,
            }}
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", justifyContent: "space-between" }}>
        <Typography variant="caption" color="textSecondary" className="mono">
          {histogram.least}
        </Typography>
        <Typography variant="caption" color="textSecondary" className="mono">
          {histogram.greatest}
        </Typography>
      </Box>
    </Part>
  );
}
