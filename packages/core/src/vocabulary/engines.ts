/** What engines are for. */
export const ENGINE_ROLES = ['stt', 'llm', 'tts'] as const;
export type EngineRole = (typeof ENGINE_ROLES)[number];

/** Which engine serves. `alone`: nobody could take over from it, so that it is worth waiting for. */
export interface Serving {
  engine: string;
  alone: boolean;
}
