"""A second bench, which shares no code with the program.

`plant` solves a geared motor under load, `logger` writes what a stranger's logger would have,
`setups` draws benches whose owners know them only so well. These three import nothing of the
program (a contract of the linter says so); `study` hands their files to it and counts.
"""
