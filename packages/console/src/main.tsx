import { createRoot } from 'react-dom/client';
import { App } from './app.js';
import './theme.css';

createRoot(document.getElementById('root')!).render(<App />);
