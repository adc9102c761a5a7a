/**
 * A talk in full screen: state, captions, level and spectrum, what was said, the last turn's times, and the
 * keys.
 */
import { Box, Text, useInput, useStdout } from 'ink';
import { useSyncExternalStore } from 'react';
import { assistantWords, type Report, type TalkView } from '@verbalon/client';
import type { ScreenModel } from './screen-model.js';
import { useScreen } from './use-screen.js';

const BARS = ' ▁▂▃▄▅▆▇█';
const LOW_DB = -80;
const STATE_WORDS: Record<TalkView['phase'], string> = {
  resting: '◌ Resting',
  listening: '● Listening',
  working: '◐ Thinking',
  answering: '◆ Answering',
};
const STATE_COLORS = {
  resting: 'gray',
  listening: 'green',
  working: 'yellow',
  answering: 'magenta',
} as const;

function useSize(): { columns: number; rows: number } {
  const { stdout } = useStdout();
  const sizeNow = () => `${stdout.columns || 100}x${stdout.rows || 30}`;
  const subscribe = (changed: () => void) => {
    stdout.on('resize', changed);
    return () => void stdout.off('resize', changed);
  };
  const [columns, rows] = useSyncExternalStore(subscribe, sizeNow).split('x').map(Number);
  return { columns: columns!, rows: rows! };
}

export function TalkScreen({ model, name }: { model: ScreenModel; name: string }) {
  const { view, meter, typing } = useScreen(model);
  const { columns, rows } = useSize();
  useInput((input, key) => {
    if (key.escape) model.keys?.hush();
    else if (key.return) model.enter();
    else if (key.backspace || key.delete) model.erase();
    else if (key.ctrl && (input === 'c' || input === 'd')) model.keys?.leave();
    else if (key.ctrl && input === 'f') model.keys?.fresh();
    else if (key.ctrl && input === 'o') model.toggleFloor();
    else if (input === ' ' && typing === '') model.pressKey();
    else if (!key.ctrl && !key.meta && input !== '') model.type(input);
  });
  return (
    <Box flexDirection="column" width={columns} height={rows - 1}>
      <Header view={view} name={name} />
      <Captions view={view} name={name} />
      <Box flexGrow={1} flexDirection="column" justifyContent="flex-end" overflow="hidden">
        <Said reports={view.reports} name={name} rows={rows} />
      </Box>
      <TimesOf report={view.reports.findLast(({ gap }) => gap !== null)} columns={columns} />
      <Box justifyContent="space-between">
        <Text>
          <Text color="green">{meter.bandsDb.map(bar).join('')}</Text>{' '}
          {Math.round(Math.max(-90, meter.levelDb))} dB
        </Text>
        <Text color="yellow">
          {view.trouble ? `${view.trouble.title}: ${view.trouble.remedy}` : view.notice}
        </Text>
      </Box>
      <Text>
        › {typing}
        <Text inverse> </Text>
      </Text>
      <Text dimColor>
        Space {view.pressed ? 'ends' : 'begins'} your turn · Esc hushes · type, Enter · ^O{' '}
        {view.floor === 'open' ? 'push-to-talk' : 'open floor'} · ^F fresh start · ^C leaves
      </Text>
    </Box>
  );
}

function bar(db: number): string {
  const share = Math.min(1, Math.max(0, ((db - LOW_DB) / -LOW_DB) * 1.4));
  return BARS[Math.round(share * (BARS.length - 1))]!;
}

function Header({ view, name }: { view: TalkView; name: string }) {
  const { connection, phase, pressed, floor, recorded, hint } = view;
  const state =
    connection === 'away'
      ? '✕ Connection lost, trying again'
      : connection === 'opening'
        ? '… Connecting'
        : pressed
          ? '● Listening to you'
          : STATE_WORDS[phase];
  const beside = phase === 'listening' && hint !== '' ? `  ${hint}` : '';
  return (
    <Box justifyContent="space-between">
      <Text>
        <Text bold color={connection === 'away' ? 'red' : STATE_COLORS[phase]}>
          {state}
        </Text>
        <Text dimColor>{beside}</Text>
      </Text>
      <Text>
        <Text bold>{name}</Text>
        <Text dimColor>
          {floor === 'press' ? ' · push-to-talk' : ''}
          {recorded ? ' · this talk is recorded' : ''}
        </Text>
      </Text>
    </Box>
  );
}

function Captions({ view, name }: { view: TalkView; name: string }) {
  const segment = view.segments.at(-1);
  const speech = view.speeches.findLast(({ fromMs }) => fromMs !== null);
  return (
    <Box flexDirection="column" borderStyle="round" borderColor="gray" paddingX={1} minHeight={4}>
      <Text>
        <Text bold color="green">
          you{' '}
        </Text>
        {segment?.settled}{' '}
        <Text italic dimColor>
          {segment?.open}
        </Text>
        {segment ? '' : ''}
      </Text>
      <Text>
        <Text bold color="magenta">
          {name}{' '}
        </Text>
        {speech &&
          assistantWords(speech).map(({ word, look }, i) => (
            <Text key={i} dimColor={look === 'pencil'} strikethrough={look === 'struck'}>
              {word}{' '}
            </Text>
          ))}
      </Text>
    </Box>
  );
}

function Said({ reports, name, rows }: { reports: Report[]; name: string; rows: number }) {
  return reports.slice(-Math.max(2, Math.floor(rows / 3))).map((report) => (
    <Box key={report.turn} flexDirection="column">
      {report.text !== '' && (
        <Text>
          <Text color="green">you </Text>
          {report.text}
        </Text>
      )}
      <Text>
        <Text color="magenta">{name} </Text>
        {report.heard || <Text dimColor>was not heard</Text>}
        {report.interrupted !== null && <Text color="red"> (interrupted)</Text>}
      </Text>
    </Box>
  ));
}

const PART_SIGNS: Record<string, string> = {
  wait: '░',
  recognition: '▒',
  thinking: '▓',
  phrase: '▚',
  synthesis: '█',
  playing: '▏',
};

/** The last gap as one bar, split into its parts. */
function TimesOf({ report, columns }: { report: Report | undefined; columns: number }) {
  if (!report?.gap)
    return <Text dimColor>After your first turn this line shows where the time of the answer went.</Text>;
  const { gap } = report;
  const width = Math.min(40, Math.floor(columns / 3));
  const parts = gap.parts.filter(({ ms }) => ms >= 1);
  return (
    <Text>
      gap {Math.round(gap.ms)} ms{' '}
      {parts
        .map(({ part, ms }) => (PART_SIGNS[part] ?? '·').repeat(Math.round((ms / gap.ms) * width)))
        .join('')}{' '}
      <Text dimColor>
        {parts.map(({ part, ms }) => `${PART_SIGNS[part]} ${part} ${Math.round(ms)}`).join('  ')}
      </Text>
    </Text>
  );
}
