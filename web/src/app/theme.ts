export const THEMES = ["paper", "sun", "dusk"] as const;
export type Theme = (typeof THEMES)[number];

export function currentTheme(): Theme {
  return THEMES.find((theme) => theme === localStorage.getItem("theme")) ?? "paper";
}

export function applyTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
  localStorage.setItem("theme", theme);
}
applyTheme(currentTheme());
