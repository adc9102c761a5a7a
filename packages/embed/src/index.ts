/**
 * `<verbalon-button>`: a voice assistant in somebody else's page. Nothing but this is loaded before it is
 * pressed.
 */
import { VerbalonButton } from './button.js';

export type { Hooks, Chat, PageFunction, TokenSource, Wanted } from './contract.js';
export { VerbalonButton };

declare global {
  interface HTMLElementTagNameMap {
    'verbalon-button': VerbalonButton;
  }
}

if (!customElements.get('verbalon-button')) customElements.define('verbalon-button', VerbalonButton);
