-- What a search of captured mail looks through: parts of words, whatever their case and accents. It keeps no copy of the text.
CREATE VIRTUAL TABLE `captured_words` USING fts5(words, content='', contentless_delete=1, tokenize='trigram remove_diacritics 1');
