import { createTheme, type Theme } from "@mui/material/styles";
import { useEffect, useState } from "react";

/** The colors by what they are for; app.css has the same ones, by day and by night, as custom properties. */
const DAY = {
  paper: "#F3EFE6",
  sheet: "#FFFDF8",
  ink: "#1F2A30",
  slate: "#55636B",
  line: "#D8D1C2",
  edge: "#8B8F86",
  verdigris: "#1F6F66",
  onVerdigris: "#FFFDF8",
  brick: "#9E2F24",
  ochre: "#7A5E00",
};
const NIGHT: typeof DAY = {
  paper: "#171D20",
  sheet: "#1E2629",
  ink: "#ECE7DB",
  slate: "#A9B3B5",
  line: "#3A4448",
  edge: "#7D8788",
  verdigris: "#7CC4B8",
  onVerdigris: "#10201D",
  brick: "#F0998C",
  ochre: "#E0BF5C",
};

/** Whether the night colors are on: as chosen here, else as the system says. */
export function useNight(): [boolean, (night: boolean) => void] {
  const [night, setNight] = useState(startsAtNight);
  useEffect(() => {
    const follow = () => setNight(startsAtNight());
    window.addEventListener("night", follow);
    return () => window.removeEventListener("night", follow);
  }, []);
  return [
    night,
    (next) => {
      localStorage.setItem("night", next ? "yes" : "no");
      window.dispatchEvent(new Event("night"));
    },
  ];
}

export function startsAtNight(): boolean {
  const held = localStorage.getItem("night");
  return held ? held === "yes" : window.matchMedia("(prefers-color-scheme: dark)").matches;
}

const sans = "'Public Sans Variable', system-ui, sans-serif";

/** MUI under our own look: flat, square, no ripple, no shadows but for what really floats. */
export function themeFor(night: boolean): Theme {
  const ink = night ? NIGHT : DAY;
  return createTheme({
    palette: {
      mode: night ? "dark" : "light",
      primary: { main: ink.verdigris, contrastText: ink.onVerdigris },
      error: { main: ink.brick },
      warning: { main: ink.ochre },
      text: { primary: ink.ink, secondary: ink.slate },
      background: { default: ink.sheet, paper: ink.sheet },
      divider: ink.line,
    },
    shape: { borderRadius: 2 },
    transitions: { create: () => "none" },
    typography: { fontFamily: sans, fontSize: 14, button: { textTransform: "none", fontWeight: 600 } },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true, disableTouchRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true, variant: "outlined" },
        styleOverrides: {
          root: {
            minHeight: 36,
            padding: "4px 14px",
            lineHeight: 1.3,
            "&.Mui-focusVisible": { outline: `2px solid ${ink.verdigris}`, outlineOffset: 2 },
          },
          outlined: { borderColor: ink.verdigris, backgroundColor: ink.sheet },
        },
      },
      MuiOutlinedInput: {
        styleOverrides: {
          root: {
            backgroundColor: ink.sheet,
            "& .MuiOutlinedInput-notchedOutline": { borderColor: ink.edge },
            "&:hover .MuiOutlinedInput-notchedOutline": { borderColor: ink.ink },
            "&.Mui-focused .MuiOutlinedInput-notchedOutline": { borderColor: ink.verdigris, borderWidth: 2 },
          },
          multiline: { padding: 0, "& textarea": { height: "auto" } },
          input: { padding: "7px 10px", height: 22, fontVariantNumeric: "tabular-nums" },
        },
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
            color: ink.slate,
            "&.Mui-selected": { color: ink.ink, fontWeight: 600 },
            "&.Mui-focusVisible": { outline: `2px solid ${ink.verdigris}` },
          },
        },
      },
      MuiTabs: {
        styleOverrides: {
          root: { minHeight: 40, borderBottom: `1px solid ${ink.line}` },
          indicator: { backgroundColor: ink.ink, height: 3 },
        },
      },
      MuiTableCell: {
        styleOverrides: {
          root: {
            padding: "6px 16px 6px 0",
            borderColor: ink.line,
            fontSize: 14,
            fontVariantNumeric: "tabular-nums",
          },
          head: { color: ink.slate, fontSize: 13, fontWeight: 600, borderBottom: `1px solid ${ink.ink}` },
        },
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
}
