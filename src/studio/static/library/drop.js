// Dropping artwork: upload, then watch the import job until it opens on the bench or says why not.
import { post, fetchJson } from '../bench/page/api.js';

const form = /** @type {HTMLFormElement} */ (document.getElementById('drop'));
const input = /** @type {HTMLInputElement} */ (document.getElementById('art'));
const state = document.getElementById('drop-state');
const bar = /** @type {HTMLProgressElement} */ (document.getElementById('drop-progress'));
const stop = document.getElementById('drop-stop');
let job = null;

input.addEventListener('change', () => input.files[0] && send(input.files[0]));
form.addEventListener('dragover', (event) => {
  event.preventDefault();
  form.classList.add('over');
});
form.addEventListener('dragleave', () => form.classList.remove('over'));
form.addEventListener('drop', (event) => {
  event.preventDefault();
  form.classList.remove('over');
  if (event.dataTransfer.files[0]) send(event.dataTransfer.files[0]);
});
stop.addEventListener('click', () => job && post(`/jobs/${job.id}/stop/`, {}));

async function send(file) {
  state.textContent = `Sending ${file.name} …`;
  const body = new FormData(form);
  body.set('art', file);
  const answer = await fetchJson(form.action, { method: 'POST', body });
  if (!answer.ok) {
    state.textContent = answer.data.sentence;
    return;
  }
  job = answer.data;
  stop.hidden = false;
  bar.hidden = false;
  watch();
}

async function watch() {
  const answer = await fetchJson(`/jobs/${job.id}/`);
  if (answer.ok) job = answer.data;
  bar.value = job.total ? job.done / job.total : 0;
  state.textContent = job.over ? job.sentence : `${job.stage}${job.total ? `, ${job.done} of ${job.total}` : ''}`;
  if (job.state === 'done') {
    location.href = job.bench;
    return;
  }
  if (job.over) {
    stop.hidden = true;
    bar.hidden = true;
    input.value = '';
    return;
  }
  setTimeout(watch, 300);
}
