/** Words with their times: what was heard, and what is said. */

/** A word that was heard, with its times on the caller's axis. */
export interface HeardWord {
  word: string;
  fromMs: number;
  toMs: number;
  /** 0 to 1, where the engine says. */
  confidence?: number;
  /** As the engine itself writes it, with capitals and marks, where its card says that it does. */
  written?: string;
  /** What was really said, where `word` is its written form. */
  spoken?: string;
  /** How it sounds (ARPAbet), where the engine lets its words be put right by their sound. */
  phones?: string;
  /** What the engine heard, where `word` was put in its place because an expected phrase sounds like it. */
  heardAs?: string;
}

/** A word of a phrase that the assistant says. */
export interface WordTime {
  word: string;
  /** End of the word in the audio of its phrase, in ms. */
  endMs: number;
}
