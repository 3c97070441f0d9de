"""Published tables as text files, each row with its source; see SOURCES.md."""
