/** When a conversation was and how long, as a person would say it. */
import type { ConversationSummary } from '@verbalon/protocol';

export function whenOf(startedAt: string): string {
  return new Intl.DateTimeFormat(navigator.language, { dateStyle: 'medium', timeStyle: 'short' }).format(
    new Date(startedAt),
  );
}

export function lengthOf({ startedAt, endedAt }: ConversationSummary): string {
  if (endedAt === null) return '…';
  const seconds = Math.round((Date.parse(endedAt) - Date.parse(startedAt)) / 1000);
  return seconds < 60 ? `${seconds} s` : `${Math.floor(seconds / 60)} min ${seconds % 60} s`;
}
