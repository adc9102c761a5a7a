/** The frame: a slim rail, the page, and the list of keys. */
import { Keyboard, MessagesSquare, Moon, Sun } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { TalkPage } from './talk/talk-page.js';
import { TalkSession } from './talk/talk-session.js';

const session = new TalkSession();

function useTheme(): [string, () => void] {
  const preferred = matchMedia('(prefers-color-scheme: dark)').matches ? 'night' : 'paper';
  const [theme, setTheme] = useState(localStorage.getItem('verbalon-theme') ?? preferred);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  const toggle = () => {
    const next = theme === 'paper' ? 'night' : 'paper';
    localStorage.setItem('verbalon-theme', next);
    setTheme(next);
  };
  return [theme, toggle];
}

export function App() {
  const [theme, toggleTheme] = useTheme();
  const keys = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === '?' && !(event.target instanceof HTMLInputElement)) keys.current?.showModal();
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  return (
    <div className="flex flex-col sm:flex-row min-h-screen">
      <nav
        className="bg-base-200 border-base-300 border-b sm:border-b-0 sm:border-r flex sm:flex-col items-center gap-2 p-2 sm:w-20"
        aria-label="Pages"
      >
        <img src="/verbalon.svg" alt="Verbalon" width="36" height="36" className="m-1" />
        <a href="/" aria-current="page" className="btn btn-ghost h-auto py-2 flex-col gap-1 text-xs">
          <MessagesSquare size={20} aria-hidden /> Talk
        </a>
        <span className="grow" />
        <button
          className="btn btn-ghost btn-square"
          onClick={() => keys.current?.showModal()}
          aria-label="Keys"
        >
          <Keyboard size={20} aria-hidden />
        </button>
        <button
          className="btn btn-ghost btn-square"
          onClick={toggleTheme}
          aria-label={theme === 'paper' ? 'Night theme' : 'Paper theme'}
        >
          {theme === 'paper' ? <Moon size={20} aria-hidden /> : <Sun size={20} aria-hidden />}
        </button>
      </nav>
      <TalkPage session={session} />
      <dialog ref={keys} className="modal" aria-label="Keys">
        <div className="modal-box">
          <h2 className="text-lg font-bold mb-2">Keys</h2>
          <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
            <dt>
              <kbd className="kbd kbd-sm">Esc</kbd>
            </dt>
            <dd>hush: the assistant stops speaking</dd>
            <dt>
              <kbd className="kbd kbd-sm">Enter</kbd>
            </dt>
            <dd>send what you typed</dd>
            <dt>
              <kbd className="kbd kbd-sm">?</kbd>
            </dt>
            <dd>this list</dd>
          </dl>
          <form method="dialog" className="modal-action">
            <button className="btn">Close</button>
          </form>
        </div>
      </dialog>
    </div>
  );
}
