// The theme a person chose, before anything is painted.
document.documentElement.dataset.theme = localStorage.getItem('theme') === 'lamplight' ? 'lamplight' : 'daylight';
addEventListener('click', (event) => {
  if (!event.target.closest('[data-theme-switch]')) return;
  const theme = document.documentElement.dataset.theme === 'lamplight' ? 'daylight' : 'lamplight';
  document.documentElement.dataset.theme = theme;
  localStorage.setItem('theme', theme);
});
