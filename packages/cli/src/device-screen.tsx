/** The simulator of a device with one button, a light and a display of two lines: nothing else is shown. */
import { Box, Text, useInput } from 'ink';
import { deviceDisplay, type Light } from '@verbalon/client';
import type { ScreenModel } from './screen-model.js';
import { useScreen } from './use-screen.js';

const COLUMNS = 24;
const LIGHTS: Record<Light, { sign: string; words: string; color: string }> = {
  off: { sign: '○', words: 'off', color: 'gray' },
  breathing: { sign: '◌', words: 'breathing', color: 'gray' },
  listening: { sign: '●', words: 'green', color: 'green' },
  working: { sign: '◐', words: 'yellow', color: 'yellow' },
  answering: { sign: '◆', words: 'violet', color: 'magenta' },
  trouble: { sign: '✕', words: 'red', color: 'red' },
};

export function DeviceScreen({ model }: { model: ScreenModel }) {
  const { view } = useScreen(model);
  const { light, lines } = deviceDisplay(view, COLUMNS);
  useInput((input, key) => {
    if (input === ' ' || key.return) model.pressKey();
    if (key.ctrl && (input === 'c' || input === 'd')) model.keys?.leave();
  });
  const { sign, words, color } = LIGHTS[light];
  return (
    <Box flexDirection="column" width={COLUMNS + 4}>
      <Box borderStyle="round" flexDirection="column" paddingX={1}>
        <Text>{lines[0] || ' '}</Text>
        <Text>{lines[1] || ' '}</Text>
      </Box>
      <Box justifyContent="space-between">
        <Text color={color}>
          {sign} {words}
        </Text>
        <Text inverse={view.pressed}>[ button: Space ]</Text>
      </Box>
    </Box>
  );
}
