type Theme = "light" | "dark";
const KEY = "gannet-theme";

function systemTheme(): Theme {
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

function currentTheme(): Theme {
  const chosen = localStorage.getItem(KEY);
  return chosen === "dark" || chosen === "light" ? chosen : systemTheme();
}

export function nextTheme(): Theme {
  return currentTheme() === "dark" ? "light" : "dark";
}

/** Choose by hand; choosing what the system says goes back to following it. */
export function setTheme(theme: Theme): void {
  if (theme === systemTheme()) localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, theme);
  applyTheme();
}

function applyTheme(): void {
  document.documentElement.dataset.theme = currentTheme();
}

export function followSystemTheme(): void {
  applyTheme();
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", applyTheme);
}
