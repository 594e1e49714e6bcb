import "@fontsource-variable/inter";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/600.css";

import { createTheme } from "@mui/material/styles";

export const MONO = '"IBM Plex Mono", monospace';

/** Sea-glass greens with brass; each kind of difference has its own colour in both schemes. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "media" },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#165a52" },
        secondary: { main: "#8a6116" },
        success: { main: "#2c6e3f" },
        warning: { main: "#8f5a00" },
        error: { main: "#a8322a" },
        info: { main: "#35588a" },
        background: { default: "#f3f1ea", paper: "#fcfbf7" },
        divider: "#d9d4c5",
        text: { primary: "#1d2a2a", secondary: "#52605f" },
      },
    },
    dark: {
      palette: {
        primary: { main: "#7cc4b6" },
        secondary: { main: "#d9b365" },
        success: { main: "#83c795" },
        warning: { main: "#e0ae5a" },
        error: { main: "#ec8f84" },
        info: { main: "#9ab8e6" },
        background: { default: "#10191b", paper: "#172225" },
        divider: "#2c3a3d",
        text: { primary: "#e4ebe8", secondary: "#9fb0ae" },
      },
    },
  },
  typography: {
    fontFamily: '"Inter Variable", sans-serif',
    fontSize: 13,
    h1: { fontSize: "1.35rem", fontWeight: 650 },
    h2: { fontSize: "1.02rem", fontWeight: 650 },
    button: { textTransform: "none", fontWeight: 600 },
  },
  shape: { borderRadius: 6 },
  components: {
    MuiCssBaseline: { styleOverrides: { body: { fontVariantNumeric: "tabular-nums", fontSize: "0.875rem", lineHeight: 1.5 } } },
    MuiButton: { defaultProps: { size: "small", disableElevation: true } },
    MuiTextField: { defaultProps: { size: "small" } },
    MuiTable: { defaultProps: { size: "small" } },
    MuiTableCell: { styleOverrides: { root: ({ theme: { vars } }) => ({ borderColor: vars?.palette.divider }), head: { fontWeight: 650 } } },
    MuiTab: { styleOverrides: { root: { minHeight: 40, textTransform: "none", fontWeight: 600 } } },
    MuiTabs: { styleOverrides: { root: { minHeight: 40 } } },
    MuiPaper: { defaultProps: { variant: "outlined" } },
  },
});
