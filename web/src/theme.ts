/** Our look: a calm ledger on paper, and a true dark one. One accent; the five states of a value
 *  have a tone each, which always comes with a mark (see components/Mark). */
import { createTheme } from "@mui/material/styles";

const family = "'Inter Variable', 'DejaVu Sans', sans-serif";
/** The family of data. */
export const mono = "'JetBrains Mono Variable', 'DejaVu Sans Mono', monospace";

declare module "@mui/material/styles" {
  interface Palette {
    state: { arrived: string; changed: string; question: string; refused: string };
    paper2: { arriving: string; head: string; line: string; hand: string };
  }
  interface PaletteOptions {
    state?: Palette["state"];
    paper2?: Palette["paper2"];
  }
}

/** Our look, light and dark. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data-scheme" },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#1d5560" },
        secondary: { main: "#6b6455" },
        background: { default: "#f6f3ec", paper: "#fffdf8" },
        text: { primary: "#23211c", secondary: "#625b4d" },
        divider: "#ddd6c6",
        error: { main: "#a3312a" },
        warning: { main: "#8a5a00" },
        state: { arrived: "#625b4d", changed: "#54459b", question: "#8a5a00", refused: "#a3312a" },
        paper2: { arriving: "#f0ebdf", head: "#e9e3d4", line: "#e4decf", hand: "#d9e6e6" },
      },
    },
    dark: {
      palette: {
        primary: { main: "#7fc0c8" },
        secondary: { main: "#a89f8c" },
        background: { default: "#121210", paper: "#191815" },
        text: { primary: "#e9e4d8", secondary: "#b3ab9a" },
        divider: "#34312a",
        error: { main: "#ef8a80" },
        warning: { main: "#e3b45c" },
        state: { arrived: "#b3ab9a", changed: "#b3a6f0", question: "#e3b45c", refused: "#ef8a80" },
        paper2: { arriving: "#1f1d19", head: "#26241f", line: "#2b2822", hand: "#22383b" },
      },
    },
  },
  typography: {
    fontFamily: family,
    fontSize: 12,
    h1: { fontSize: 18, fontWeight: 600, letterSpacing: "-0.01em" },
    h2: { fontSize: 14, fontWeight: 600 },
    h3: { fontSize: 12.5, fontWeight: 600 },
    body1: { fontSize: 13 },
    body2: { fontSize: 12.5 },
    caption: { fontSize: 11.5 },
    button: { textTransform: "none", fontWeight: 550 },
  },
  shape: { borderRadius: 4 },
  components: {
    MuiButton: { defaultProps: { size: "small", disableElevation: true } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiTextField: { defaultProps: { size: "small", variant: "outlined" } },
    MuiSelect: { defaultProps: { size: "small" } },
    MuiTooltip: { defaultProps: { enterDelay: 400, arrow: true } },
    MuiAutocomplete: {
      defaultProps: { size: "small" },
      styleOverrides: { groupLabel: { lineHeight: "26px", fontSize: 11 }, listbox: { paddingTop: 0 } },
    },
    MuiInputLabel: { defaultProps: { shrink: true } },
    MuiOutlinedInput: {
      defaultProps: { notched: true },
      styleOverrides: {
        root: { fontSize: 12.5, background: "var(--mui-palette-background-paper)" },
        input: { padding: "5px 9px", height: 18 },
        multiline: { padding: 0 },
      },
    },
    MuiMenuItem: { styleOverrides: { root: { fontSize: 12.5, minHeight: 28 } } },
    MuiTableCell: {
      styleOverrides: {
        root: { padding: "3px 10px", height: 30, fontSize: 12.5 },
        head: {
          fontWeight: 600,
          color: "var(--mui-palette-text-secondary)",
          background: "var(--mui-palette-paper2-head)",
        },
      },
    },
    MuiCssBaseline: {
      styleOverrides: {
        "html, body, #root": { height: "100%" },
        body: { overflow: "hidden", fontVariantNumeric: "tabular-nums" },
        ".mono, .mono.MuiTypography-root, .mono.MuiTableCell-root": {
          fontFamily: mono,
          fontSize: 11.5,
          fontVariantLigatures: "none",
        },
        a: { color: "var(--mui-palette-primary-main)" },
        ":focus-visible": {
          outline: "2px solid var(--mui-palette-primary-main)",
          outlineOffset: -1,
        },
        "*": { scrollbarWidth: "thin" },
        // Who has asked for less motion gets colours at once.
        "@media (prefers-reduced-motion: reduce)": {
          "*, *::before, *::after": { transition: "none !important" },
        },
      },
    },
  },
});
