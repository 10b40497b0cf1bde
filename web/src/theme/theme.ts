import { createTheme } from "@mui/material/styles";

import { DAY, ink, type Ink, NIGHT, sans, serif } from "./palette";

declare module "@mui/material/styles" {
  // eslint-disable-next-line @typescript-eslint/no-empty-object-type
  interface Palette extends Record<Ink, string> {}
  // eslint-disable-next-line @typescript-eslint/no-empty-object-type
  interface PaletteOptions extends Partial<Record<Ink, string>> {}
}

const roles = (of: typeof DAY) => ({
  ...of,
  primary: { main: of.verdigris, contrastText: of.onVerdigris },
  secondary: { main: of.slate, contrastText: of.sheet },
  success: { main: of.verdigris },
  error: { main: of.brick },
  warning: { main: of.ochre },
  text: { primary: of.ink, secondary: of.slate },
  background: { default: of.sheet, paper: of.sheet },
  divider: of.line,
});

const focus = { outline: `2px solid ${ink.verdigris}`, outlineOffset: 2 };
const tabular = { fontVariantNumeric: "tabular-nums" };

/** MUI under our own look: flat, square, no ripple, no shadows but for what really floats. One unit of spacing is a pixel. */
export const theme = createTheme({
  cssVariables: { cssVarPrefix: "ag", colorSchemeSelector: "data-colors" },
  colorSchemes: { light: { palette: roles(DAY) }, dark: { palette: roles(NIGHT) } },
  spacing: 1,
  shape: { borderRadius: 2 },
  transitions: { create: () => "none" },
  typography: { fontFamily: sans, fontSize: 14, button: { textTransform: "none", fontWeight: 600 } },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        "html, body, #root": { height: "100%" },
        body: {
          fontFamily: sans,
          fontSize: 14,
          lineHeight: 1.45,
          letterSpacing: "normal",
          backgroundColor: ink.sheet,
          color: ink.ink,
          ...tabular,
        },
        "h1, h2, h3": { fontFamily: serif, fontWeight: 600, lineHeight: 1.25, margin: 0 },
        h1: { fontSize: 26 },
        h2: { fontSize: 18 },
        h3: { fontSize: 16 },
        p: { margin: "0 0 8px" },
        a: { color: ink.verdigris, textUnderlineOffset: 2 },
        "a:focus-visible, button:focus-visible, [tabindex]:focus-visible": focus,
        "strong, b": { fontWeight: 600 },
        kbd: {
          font: `12px ${sans}`,
          border: `1px solid ${ink.line}`,
          borderRadius: 2,
          padding: "1px 5px",
          backgroundColor: ink.sheet,
          color: ink.slate,
        },
        "@media (prefers-reduced-motion: reduce)": {
          "*": { transition: "none !important", animation: "none !important" },
        },
      },
    },
    MuiButtonBase: { defaultProps: { disableRipple: true, disableTouchRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true, variant: "outlined" },
      styleOverrides: {
        root: { minHeight: 36, padding: "4px 14px", lineHeight: 1.3, "&.Mui-focusVisible": focus },
        outlined: { borderColor: ink.verdigris, backgroundColor: ink.sheet },
        // What else one can do here: a word that shows itself as a button under the pointer.
        text: {
          minHeight: 24,
          minWidth: 0,
          padding: "1px 6px",
          margin: "0 -6px",
          fontSize: "inherit",
          fontWeight: 500,
          lineHeight: "inherit",
          verticalAlign: "baseline",
          textAlign: "inherit",
          whiteSpace: "nowrap",
          "&:hover": { backgroundColor: ink.verdigrisPale },
          "&.MuiButton-colorSecondary": {
            textDecoration: `underline 1px ${ink.joint}`,
            textUnderlineOffset: 3,
          },
        },
      },
    },
    MuiIconButton: {
      styleOverrides: {
        root: { borderRadius: 2, padding: "3px 7px", fontSize: 15, lineHeight: 1, color: ink.slate },
      },
    },
    MuiToggleButtonGroup: {
      styleOverrides: {
        root: { alignSelf: "flex-start" },
        middleButton: { borderLeftColor: ink.line },
        lastButton: { borderLeftColor: ink.line },
      },
    },
    MuiToggleButton: {
      styleOverrides: {
        root: {
          textTransform: "none",
          padding: "3px 10px",
          minHeight: 28,
          fontSize: 14,
          fontWeight: 400,
          lineHeight: 1.3,
          color: ink.slate,
          borderColor: ink.edge,
          backgroundColor: ink.sheet,
          "&.Mui-selected, &.Mui-selected:hover": {
            color: ink.ink,
            fontWeight: 600,
            backgroundColor: ink.verdigrisPale,
            boxShadow: `inset 0 -3px ${ink.verdigris}`,
          },
          "&.Mui-focusVisible": { ...focus, zIndex: 1 },
        },
      },
    },
    MuiOutlinedInput: {
      styleOverrides: {
        root: {
          backgroundColor: ink.sheet,
          "& .MuiOutlinedInput-notchedOutline": { borderColor: ink.edge },
          "&:hover .MuiOutlinedInput-notchedOutline": { borderColor: ink.ink },
          "&.Mui-focused .MuiOutlinedInput-notchedOutline": { borderColor: ink.verdigris, borderWidth: 2 },
          "&.Mui-error .MuiOutlinedInput-notchedOutline": { borderColor: ink.brick },
        },
        multiline: { padding: 0, "& textarea": { height: "auto" } },
        input: {
          padding: "7px 10px",
          height: 22,
          ...tabular,
          "&::placeholder": { color: ink.slate, opacity: 1 },
        },
      },
    },
    MuiInputBase: { styleOverrides: { root: { fontSize: 14, letterSpacing: "normal" } } },
    MuiNativeSelect: {
      styleOverrides: { select: { "&&": { minHeight: 0, paddingRight: 26 } }, icon: { color: ink.slate } },
    },
    MuiSelect: { styleOverrides: { select: { minHeight: 0 }, icon: { color: ink.slate } } },
    MuiCheckbox: {
      defaultProps: { size: "small" },
      styleOverrides: {
        root: { padding: 3, color: ink.edge, "&.Mui-focusVisible": { ...focus, outlineOffset: -2 } },
      },
    },
    MuiRadio: {
      defaultProps: { size: "small" },
      styleOverrides: {
        root: { padding: 3, color: ink.edge, "&.Mui-focusVisible": { ...focus, outlineOffset: -2 } },
      },
    },
    MuiFormControlLabel: {
      styleOverrides: { root: { margin: 0, gap: 4 }, label: { fontSize: 14, lineHeight: 1.45 } },
    },
    MuiAutocomplete: {
      styleOverrides: {
        root: {
          "& .MuiOutlinedInput-root": { padding: 0 },
          "& .MuiOutlinedInput-root .MuiAutocomplete-input": { padding: "7px 10px" },
        },
        paper: { border: `1px solid ${ink.edge}`, boxShadow: "none", marginTop: 2 },
        listbox: { padding: 0 },
        option: {
          fontSize: 14,
          minHeight: 34,
          padding: "5px 10px",
          "&.Mui-focused, &[aria-selected=true]": { backgroundColor: `${ink.paper} !important` },
        },
        noOptions: { fontSize: 14, padding: "8px 10px" },
      },
    },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiMenu: {
      styleOverrides: {
        paper: {
          border: `1px solid ${ink.edge}`,
          boxShadow: "0 6px 24px rgb(0 0 0 / 18%)",
          minWidth: 200,
        },
        list: { padding: 0 },
      },
    },
    MuiMenuItem: {
      styleOverrides: {
        root: {
          fontSize: 14,
          minHeight: 34,
          padding: "5px 14px",
          "&.Mui-focusVisible, &:hover": { backgroundColor: ink.verdigrisPale },
        },
      },
    },
    MuiPopover: { styleOverrides: { paper: { border: `1px solid ${ink.edge}`, boxShadow: "none" } } },
    MuiDialog: {
      styleOverrides: {
        paper: {
          padding: "18px 24px 20px",
          border: `1px solid ${ink.edge}`,
          boxShadow: "none",
          minWidth: 420,
        },
      },
    },
    MuiTab: {
      styleOverrides: {
        root: {
          minHeight: 40,
          minWidth: 0,
          padding: "8px 0",
          marginRight: 28,
          fontSize: 14,
          fontWeight: 400,
          textTransform: "none",
          letterSpacing: "normal",
          color: ink.slate,
          "&.Mui-selected": { color: ink.ink, fontWeight: 600 },
          "&.Mui-focusVisible": { ...focus, outlineOffset: 0 },
        },
      },
    },
    MuiTabs: {
      styleOverrides: {
        root: { minHeight: 40, borderBottom: `1px solid ${ink.line}` },
        indicator: { backgroundColor: ink.ink, height: 3 },
      },
    },
    MuiTableRow: { styleOverrides: { root: { "&[data-at]": { backgroundColor: ink.verdigrisPale } } } },
    MuiTableCell: {
      styleOverrides: {
        root: {
          padding: "7px 14px 7px 0",
          borderColor: ink.line,
          fontSize: 14,
          lineHeight: 1.45,
          letterSpacing: "normal",
          verticalAlign: "top",
          ...tabular,
        },
        head: {
          color: ink.slate,
          fontWeight: 600,
          padding: "6px 14px 6px 0",
          borderBottom: `1px solid ${ink.edge}`,
        },
      },
    },
    MuiAlert: {
      styleOverrides: {
        root: {
          borderRadius: 0,
          borderLeft: `3px solid ${ink.verdigris}`,
          backgroundColor: ink.verdigrisPale,
          color: ink.ink,
          padding: "10px 12px",
          marginBottom: 14,
          fontSize: "inherit",
          lineHeight: "inherit",
          letterSpacing: "normal",
        },
        message: {
          padding: 0,
          flex: 1,
          minWidth: 0,
          overflow: "visible",
          "& > p:last-child": { marginBottom: 0 },
        },
      },
    },
    MuiLinearProgress: {
      styleOverrides: {
        root: { height: 6, backgroundColor: ink.foot },
        bar: { backgroundColor: ink.verdigris },
      },
    },
    MuiSkeleton: {
      defaultProps: { animation: false, variant: "rectangular" },
      styleOverrides: { root: { backgroundColor: ink.paper } },
    },
    MuiTooltip: {
      styleOverrides: {
        tooltip: {
          backgroundColor: ink.ink,
          color: ink.sheet,
          fontSize: 13,
          borderRadius: 2,
          padding: "6px 10px",
        },
      },
    },
  },
});
