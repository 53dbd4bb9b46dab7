// What the page has beside the browser's own.
interface Window {
  kunstgriff: object;
  switchTheme: () => void;
}
