import { useTheme } from "next-themes";
import { useEffect, useState } from "react";

const COLOURS = {
  here: "--here",
  yonder: "--yonder",
  difference: "--difference",
  ink: "--color-base-content",
  paper: "--color-base-100",
} as const;
type ThemeColours = Record<keyof typeof COLOURS, string>;

const BEFORE: ThemeColours = { here: "#888", yonder: "#888", difference: "#888", ink: "#000", paper: "#fff" };

/** Colours of the theme as they are now, for what is painted pixel by pixel. */
export function useThemeColours(): ThemeColours {
  const { resolvedTheme } = useTheme();
  const [colours, setColours] = useState(BEFORE);
  // biome-ignore lint/correctness/useExhaustiveDependencies: read again when the theme is another
  useEffect(() => {
    const style = getComputedStyle(document.documentElement);
    const read = ([key, name]: [string, string]) => [key, style.getPropertyValue(name).trim()];
    setColours(Object.fromEntries(Object.entries(COLOURS).map(read)) as ThemeColours);
  }, [resolvedTheme]);
  return colours;
}
