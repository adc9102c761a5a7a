/** Opens a talk in full screen: the whole of it, or the simulator of a device. */
import { render } from 'ink';
import { DeviceScreen } from './device-screen.js';
import type { ScreenModel } from './screen-model.js';
import { TalkScreen } from './talk-screen.js';

/** Draws until `close` is called; the terminal is as before then. */
export function openScreen(model: ScreenModel, name: string, device: boolean): { close: () => void } {
  const out = process.stdout;
  out.write('\u001b[?1049h');
  const app = render(device ? <DeviceScreen model={model} /> : <TalkScreen model={model} name={name} />, {
    exitOnCtrlC: false,
  });
  return {
    close: () => {
      app.unmount();
      out.write('\u001b[?1049l');
    },
  };
}
