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

for (const button of document.querySelectorAll('verbalon-button'))
  customElements.whenDefined('verbalon-button').then(() => {
    button.offer('show-hut', ({ fill }) => showHut(fill.hut));
    button.addEventListener('verbalon', ({ detail }) => (document.body.dataset.last = detail.kind));
  });
