const KEY = "vapocline.theme"; // read in index.html too, before the first paint

/** From light to dark or back, kept for the next visit. */
export function toggleTheme() {
  const root = document.documentElement;
  const theme = root.dataset.theme === "dark" ? "light" : "dark";
  root.dataset.theme = theme;
  localStorage.setItem(KEY, theme);
}
