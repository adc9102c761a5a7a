/**
 * The looks of the button. A page changes them by variables (`--verbalon-…`) and parts; nothing of it leaks
 * out of the shadow root.
 */
export const STYLE = `
:host {
  --ink: var(--verbalon-ink, #2b2118);
  --paper: var(--verbalon-paper, #fbf7ef);
  --line: var(--verbalon-line, #8a7a66);
  --light: var(--verbalon-light, #8a7a66);
  --size: var(--verbalon-size, 3rem);
  display: inline-flex; flex-direction: column; gap: .4rem; align-items: flex-start;
  font: inherit; color: var(--ink); max-width: 22rem; text-align: start;
}
@media (prefers-color-scheme: dark) {
  :host { --ink: var(--verbalon-ink, #efe5d3); --paper: var(--verbalon-paper, #211b15); }
}
:host([hidden]) { display: none; }
button, input { font: inherit; color: inherit; }
.row { display: flex; align-items: center; gap: .6rem; }
.main {
  inline-size: var(--size); block-size: var(--size); border-radius: 50%; padding: 0; flex: none;
  display: grid; place-items: center; cursor: pointer; touch-action: none;
  background: var(--paper); border: 2px solid var(--line); outline-offset: 3px;
  box-shadow: 0 0 0 4px color-mix(in srgb, var(--light) 35%, transparent);
}
.main svg { inline-size: 55%; block-size: 55%; fill: none; stroke: currentColor; stroke-width: 2; stroke-linecap: round; stroke-linejoin: round; }
:host([state='off']) { --light: transparent; }
:host([state='listening']) { --light: var(--verbalon-listening, #2f7d4f); }
:host([state='thinking']), :host([state='beginning']) { --light: var(--verbalon-thinking, #a26a00); }
:host([state='answering']) { --light: var(--verbalon-answering, #2a5fa8); }
:host([state='trouble']) { --light: var(--verbalon-trouble, #b3261e); }
:host([state='thinking']) .main, :host([state='beginning']) .main { animation: breathe 1.4s ease-in-out infinite; }
@keyframes breathe { 50% { box-shadow: 0 0 0 8px color-mix(in srgb, var(--light) 20%, transparent); } }
@media (prefers-reduced-motion: reduce) { .main { animation: none !important; } }
.word { font-weight: bold; cursor: pointer; touch-action: none; user-select: none; }
.words, .answer { min-block-size: 1.3em; overflow-wrap: anywhere; }
.words { font-style: italic; }
.words:empty, .answer:empty, .where:empty { display: none; }
.small {
  background: none; border: 1px solid var(--line); border-radius: .4rem; padding: .15rem .5rem; cursor: pointer;
}
.panel { background: var(--paper); border: 1px solid var(--line); border-radius: .6rem; padding: .6rem; display: grid; gap: .5rem; inline-size: min(22rem, 90vw); box-sizing: border-box; }
.panel[hidden], .small[hidden] { display: none; }
.said { max-block-size: 40vh; overflow-y: auto; display: grid; gap: .3rem; margin: 0; padding: 0; list-style: none; }
.said .of-caller { font-style: italic; }
input { flex: 1; min-inline-size: 0; background: var(--paper); border: 1px solid var(--line); border-radius: .4rem; padding: .2rem .4rem; }
.trouble { border-inline-start: 3px solid var(--verbalon-trouble, #b3261e); padding-inline-start: .5rem; }
.trouble:empty { display: none; }
.where { font-size: .85em; }
@media (max-width: 30rem) { :host([open]) { inline-size: 100%; } }
`;

const path = (...d: string[]) => d.map((one) => `<path d="${one}"/>`).join('');
const MICROPHONE = [
  'M12 3a3 3 0 0 1 3 3v6a3 3 0 0 1-6 0V6a3 3 0 0 1 3-3z',
  'M6 11a6 6 0 0 0 12 0',
  'M12 17v4',
];

/** A shape for each state, so that nobody has to tell colours apart. */
export const SHAPES = {
  off: path(...MICROPHONE),
  beginning: path('M12 4v4', 'M12 16v4', 'M4 12h4', 'M16 12h4'),
  listening: path(...MICROPHONE, 'M3 8v6', 'M21 8v6'),
  thinking: path('M6 12h.01', 'M12 12h.01', 'M18 12h.01'),
  answering: path('M4 10v4', 'M8 7v10', 'M12 4v16', 'M16 7v10', 'M20 10v4'),
  resting: path('M5 15c3 3 11 3 14 0', 'M8 10h.01', 'M16 10h.01'),
  trouble: path('M12 4 3 20h18z', 'M12 10v4', 'M12 17h.01'),
};
