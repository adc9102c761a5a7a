<?xml version="1.0" encoding="UTF-8"?>
<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon" alphabet="x-arpabet" xml:lang="en">
  <lexeme><grapheme>Tansy</grapheme><phoneme>T AE N Z IY</phoneme></lexeme>
  <lexeme><grapheme>Tarnside</grapheme><phoneme>T AA R N S AY D</phoneme></lexeme>
  <lexeme><grapheme>Maren</grapheme><phoneme>M AA R AH N</phoneme></lexeme>
  <lexeme><grapheme>Orsk</grapheme><phoneme>AO R S K</phoneme></lexeme>
  <lexeme><grapheme>Ines</grapheme><phoneme>IH N EH Z</phoneme></lexeme>
</lexicon>
