/** The frame: a slim rail, the page, and the list of keys. */
import {
  Braces,
  Cpu,
  FileText,
  History,
  KeyRound,
  Keyboard,
  ListChecks,
  MessagesSquare,
  Moon,
  Scale,
  Sun,
} from 'lucide-react';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import { BrowserRouter, NavLink, Route, Routes } from 'react-router';
import { Gate } from './access/sign-in.js';
import { Waiting } from './people/waiting.js';
import { TalkPage } from './talk/talk-page.js';
import { TalkSession } from '@verbalon/client/browser';
import { workletUrl } from './sound/worklet.js';

const ConversationsPage = lazy(() =>
  import('./conversations/conversations-page.js').then((m) => ({ default: m.ConversationsPage })),
);
const ConversationPage = lazy(() =>
  import('./conversations/conversation-page.js').then((m) => ({ default: m.ConversationPage })),
);
const FilesPage = lazy(() => import('./files/files-page.js').then((m) => ({ default: m.FilesPage })));
const EnginesPage = lazy(() => import('./engines/engines-page.js').then((m) => ({ default: m.EnginesPage })));
const ErrandsPage = lazy(() => import('./errands/errands-page.js').then((m) => ({ default: m.ErrandsPage })));
const TryoutsPage = lazy(() => import('./tryouts/tryouts-page.js').then((m) => ({ default: m.TryoutsPage })));
const InterfacePage = lazy(() =>
  import('./interface/interface-page.js').then((m) => ({ default: m.InterfacePage })),
);
const CaptionsPage = lazy(() => import('./talk/captions-page.js').then((m) => ({ default: m.CaptionsPage })));
const HearingPage = lazy(() => import('./talk/hearing-page.js').then((m) => ({ default: m.HearingPage })));
const AccessPage = lazy(() => import('./access/access-page.js').then((m) => ({ default: m.AccessPage })));

const session = new TalkSession({ address: location.origin, workletUrl });

const PAGES = [
  { path: '/', title: 'Talk', Sign: MessagesSquare },
  { path: '/conversations', title: 'Conversations', Sign: History },
  { path: '/engines', title: 'Engines', Sign: Cpu },
  { path: '/errands', title: 'Errands', Sign: ListChecks },
  { path: '/tryouts', title: 'Tryouts', Sign: Scale },
  { path: '/files', title: 'Files', Sign: FileText },
  { path: '/interface', title: 'Interface', Sign: Braces },
  { path: '/access', title: 'Access', Sign: KeyRound },
];

const KEYS: [string, string][] = [
  ['Space', 'held down: talk, also without push-to-talk; a short press holds until the next'],
  ['Esc', 'hush: the assistant stops speaking'],
  ['Enter', 'send what you typed'],
  ['?', 'this list'],
];

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
  return (
    <BrowserRouter>
      <Routes>
        {/* Whoever has the link needs no key, and sees nothing else. */}
        <Route
          path="/captions/:token"
          element={
            <Suspense fallback={null}>
              <CaptionsPage />
            </Suspense>
          }
        />
        <Route path="*" element={<Console />} />
      </Routes>
    </BrowserRouter>
  );
}

function Console() {
  const keys = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const isTyping =
        event.target instanceof HTMLElement && event.target.closest('input, textarea, [contenteditable]');
      if (event.key === '?' && !isTyping) keys.current?.showModal();
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  return (
    <div className="flex flex-col sm:flex-row min-h-screen">
      <Gate>
        {(visit) => (
          <>
            {/* Whoever may not see them has nobody to take. */}
            {(visit === null || visit.open || visit.scopes.includes('read')) && <Waiting />}
            <Rail openKeys={() => keys.current?.showModal()} isOpen={visit?.open ?? false} />
            <Suspense fallback={<main className="p-4">Opening the page …</main>}>
              <Routes>
                <Route path="/" element={<TalkPage session={session} />} />
                <Route path="/conversations" element={<ConversationsPage />} />
                <Route path="/conversations/:id" element={<ConversationPage />} />
                <Route path="/engines" element={<EnginesPage />} />
                <Route path="/errands" element={<ErrandsPage />} />
                <Route path="/tryouts" element={<TryoutsPage />} />
                <Route path="/files/:kind?/:name?" element={<FilesPage />} />
                <Route path="/interface" element={<InterfacePage />} />
                <Route path="/access" element={<AccessPage />} />
                <Route path="/captions" element={<HearingPage />} />
              </Routes>
            </Suspense>
          </>
        )}
      </Gate>
      <dialog ref={keys} className="modal" aria-label="Keys">
        <div className="modal-box">
          <h2 className="text-lg font-bold mb-2">Keys</h2>
          <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
            {KEYS.map(([key, words]) => (
              <div key={key} className="contents">
                <dt>
                  <kbd className="kbd kbd-sm">{key}</kbd>
                </dt>
                <dd>{words}</dd>
              </div>
            ))}
          </dl>
          <form method="dialog" className="modal-action">
            <button className="btn">Close</button>
          </form>
        </div>
      </dialog>
    </div>
  );
}

function Rail({ openKeys, isOpen }: { openKeys: () => void; isOpen: boolean }) {
  const [theme, toggleTheme] = useTheme();
  return (
    <nav
      className="bg-base-200 border-base-300 border-b sm:border-b-0 sm:border-r flex flex-wrap sm:flex-col items-center sm:gap-2 p-1 sm:p-2 sm:w-28 shrink-0 sm:sticky sm:top-0 sm:h-screen"
      aria-label="Pages"
    >
      <img src="/verbalon.svg" alt="Verbalon" width="36" height="36" className="m-1 hidden sm:block" />
      {PAGES.map(({ path, title, Sign }) => (
        <NavLink
          key={path}
          to={path}
          end={path === '/'}
          className={({ isActive }) =>
            `btn btn-ghost h-auto py-2 px-2 flex-col gap-1 text-xs sm:w-full ${isActive ? 'bg-base-300' : ''}`
          }
        >
          <Sign size={18} aria-hidden />{' '}
          <span className={path === '/' ? '' : 'hidden sm:inline'}>{title}</span>
          <span className="sr-only sm:hidden">{path === '/' ? '' : title}</span>
          {path === '/access' && isOpen && (
            <span
              className="badge badge-xs badge-warning"
              title="Everybody on this machine may do everything"
            >
              open
            </span>
          )}
        </NavLink>
      ))}
      <span className="grow" />
      <button className="btn btn-ghost btn-square" onClick={openKeys} aria-label="Keys">
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
  );
}
