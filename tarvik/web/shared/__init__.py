"""What several screens share: questions, shelters as they stand and hang, words, parts of pages."""
