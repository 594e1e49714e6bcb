import "@fontsource-variable/inter";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/600.css";

import { createTheme } from "@mui/material/styles";

export const MONO = '"IBM Plex Mono", monospace';

/** Who asks their system for more contrast gets black on white or white on black, and lines that are seen. */
const HIGH_CONTRAST = {
  "@media (prefers-contrast: more)": {
    ":root:root": {
      "--mui-palette-text-primary": "#000",
      "--mui-palette-text-secondary": "#1c2626",
      "--mui-palette-background-default": "#fff",
      "--mui-palette-background-paper": "#fff",
      "--mui-palette-divider": "#4a5656",
      "--mui-palette-primary-main": "#003c35",
      "--mui-palette-warning-main": "#5f3b00",
      "--mui-palette-error-main": "#7d0f08",
      "--mui-palette-success-main": "#0d4a1e",
      "--mui-palette-info-main": "#12305c",
    },
    ":focus-visible": { outline: "3px solid var(--mui-palette-primary-main)", outlineOffset: 1 },
  },
  "@media (prefers-contrast: more) and (prefers-color-scheme: dark)": {
    ":root:root": {
      "--mui-palette-text-primary": "#fff",
      "--mui-palette-text-secondary": "#dfe8e6",
      "--mui-palette-background-default": "#000",
      "--mui-palette-background-paper": "#000",
      "--mui-palette-divider": "#a9b8b6",
      "--mui-palette-primary-main": "#a8f0e0",
      "--mui-palette-warning-main": "#ffcf7d",
      "--mui-palette-error-main": "#ffb3aa",
      "--mui-palette-success-main": "#a9efbb",
      "--mui-palette-info-main": "#bfd6ff",
    },
  },
};

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
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontVariantNumeric: "tabular-nums", fontSize: "0.875rem", lineHeight: 1.5 },
        "@media (prefers-reduced-motion: reduce)": {
          // No transition at all: a short one would make every element animate every inherited colour, level by level.
          "*, *::before, *::after": { animationDuration: "1ms !important", animationIterationCount: "1 !important", transition: "none !important", scrollBehavior: "auto !important" },
        },
        ...HIGH_CONTRAST,
      },
    },
    MuiButton: { defaultProps: { size: "small", disableElevation: true } },
    MuiTextField: { defaultProps: { size: "small" } },
    MuiInputBase: { styleOverrides: { root: { fontSize: 13 } } },
    MuiOutlinedInput: { styleOverrides: { root: { "&.MuiInputBase-sizeSmall .MuiOutlinedInput-input": { paddingTop: 6, paddingBottom: 6 } } } },
    MuiInputLabel: { styleOverrides: { sizeSmall: { fontSize: 13, "&:not(.MuiInputLabel-shrink)": { transform: "translate(14px, 7px) scale(1)" } } } },
    MuiMenuItem: { styleOverrides: { root: { fontSize: 13 } } },
    MuiButtonBase: { styleOverrides: { root: { fontFamily: "inherit" } } },
    MuiTable: { defaultProps: { size: "small" } },
    MuiTableCell: { styleOverrides: { root: ({ theme: { vars } }) => ({ borderColor: vars?.palette.divider }), head: { fontWeight: 650 } } },
    MuiTab: { styleOverrides: { root: { minHeight: 40, textTransform: "none", fontWeight: 600 } } },
    MuiTabs: { styleOverrides: { root: { minHeight: 40 } } },
    MuiPaper: { defaultProps: { variant: "outlined" } },
  },
});
