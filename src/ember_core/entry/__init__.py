"""From a short sentence to a plan: the book of cuts and ways, the sentence, quick entry, moves."""
