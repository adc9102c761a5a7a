/** The knowledge sheet: what the stand-in model knows, and how it looks things up. */
import { readFileSync } from 'node:fs';
import { parse } from 'yaml';

export interface Hut {
  warden: string;
  heightMetres: number;
  supper: string;
  breakfast: string;
  /** Free bunks by night. */
  bunks: Record<string, number>;
  remark: string;
}

export interface Topic {
  /** Words that lead here; a word in several topics counts for less. */
  about: string[];
  short: string;
  long: string;
}

export interface Knowledge {
  huts: Record<string, Hut>;
  nights: string[];
  topics: Topic[];
}

export function readKnowledge(file: string): Knowledge {
  return parse(readFileSync(file, 'utf8')) as Knowledge;
}

export function wordsOf(text: string): string[] {
  return text
    .toLowerCase()
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
}

/** A rough stem, so that "closes" finds "closed". */
export function stem(word: string): string {
  const short = word.replace(/'s$/, '').replace(/(?:ing|ed|es|s|e)$/, '');
  return short.length >= 3 ? short : word;
}

/** The topic that fits best by words that are rare over the topics; null when nothing fits well enough. */
export function findTopic(knowledge: Knowledge, text: string): Topic | null {
  const said = new Set(wordsOf(text).map(stem));
  const counts = new Map<string, number>();
  for (const topic of knowledge.topics) {
    for (const word of new Set(topic.about.map(stem))) counts.set(word, (counts.get(word) ?? 0) + 1);
  }
  const scored = knowledge.topics.map((topic) => ({
    topic,
    score: [...new Set(topic.about.map(stem))]
      .filter((word) => said.has(word))
      .reduce((sum, word) => sum + Math.log(1 + knowledge.topics.length / counts.get(word)!), 0),
  }));
  const best = scored.sort((a, b) => b.score - a.score)[0];
  return best && best.score >= 1 ? best.topic : null;
}
