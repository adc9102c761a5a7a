/** `<verbalon-button>`: a voice assistant in somebody else's page. Nothing but this is loaded before it is pressed. */
import { VerbalonButton } from './button.js';

if (!customElements.get('verbalon-button')) customElements.define('verbalon-button', VerbalonButton);
