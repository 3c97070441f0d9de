"""The command line over the core: simulate, judge, bench."""
