<?xml version="1.0" encoding="UTF-8"?>
<!-- How names sound, in ARPAbet. An assistant takes it with "lexicon: NAME.pls". -->
<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon" alphabet="x-arpabet" xml:lang="en">
  <lexeme><grapheme>Maren</grapheme><phoneme>M AA R AH N</phoneme></lexeme>
</lexicon>
