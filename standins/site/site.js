/** What the site does by itself: a booking, and the page of a hut, which the assistant may open too. */
const HUTS = {
  'Heron Hut': 'By the lake, at 1,240 m. 18 bunks, supper at half past six.',
  'Rowan Hut': 'Above the wood, at 1,610 m. 24 bunks, a stove and a spring.',
  'Lantern Hut': 'Under the saddle, at 1,980 m. 16 bunks. No telephone.',
  'Saddle Hut': 'On the saddle, at 2,310 m. 12 bunks. Bring water.',
};

function showHut(name) {
  const section = document.getElementById('hut');
  section.hidden = !Object.hasOwn(HUTS, name);
  section.querySelector('h2').textContent = name;
  section.querySelector('p').textContent = HUTS[name] ?? '';
  return Object.hasOwn(HUTS, name);
}

document.getElementById('booking').addEventListener('submit', async (event) => {
  event.preventDefault();
  const booking = Object.fromEntries(new FormData(event.target));
  const answer = await fetch('/bookings', { method: 'POST', body: JSON.stringify(booking) });
  document.getElementById('booked').textContent = (await answer.json()).text;
});

/** The site's own chat, in pieces as it writes them; it was there before anything spoke. */
async function* chat(text, signal) {
  const list = document.getElementById('asked');
  const line = (className, words) => {
    const item = document.createElement('li');
    item.className = className;
    item.textContent = words;
    list.append(item);
    return item;
  };
  line('question', text);
  const answer = line('answer', '');
  const { body } = await fetch('/chat', { method: 'POST', body: JSON.stringify({ text }), signal });
  const reader = body.pipeThrough(new TextDecoderStream()).getReader();
  for (let next = await reader.read(); !next.done; next = await reader.read()) {
    answer.textContent += next.value;
    yield next.value;
  }
}

document.getElementById('asking').addEventListener('submit', async (event) => {
  event.preventDefault();
  const { text } = Object.fromEntries(new FormData(event.target));
  event.target.reset();
  const answer = chat(text);
  while (!(await answer.next()).done);
});

// The same chat with a voice: what is said goes to it, and what it writes is spoken.
const voice = document.getElementById('voice');
customElements.whenDefined('verbalon-button').then(() => {
  voice.chat = ({ text, signal }) => chat(text, signal);
  // An address is of no use to the ear.
  voice.hooks = { spoken: (text) => (text.startsWith('More:') ? null : text) };
});

for (const button of document.querySelectorAll('verbalon-button'))
  customElements.whenDefined('verbalon-button').then(() => {
    button.offer('show-hut', ({ fill }) => showHut(fill.hut));
    button.addEventListener('verbalon', ({ detail }) => (document.body.dataset.last = detail.kind));
  });
