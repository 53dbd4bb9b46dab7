// The theme a person chose, before anything is painted.
document.documentElement.dataset.theme = localStorage.getItem('theme') === 'lamplight' ? 'lamplight' : 'daylight';

window.switchTheme = () => {
  const theme = document.documentElement.dataset.theme === 'lamplight' ? 'daylight' : 'lamplight';
  document.documentElement.dataset.theme = theme;
  localStorage.setItem('theme', theme);
};

addEventListener('click', (event) => {
  if (event.target.closest('[data-theme-switch]')) window.switchTheme();
});
