"""The job a drive is wanted for, and which drive does it. `record` is what is asked, `tasks` turns
a tester's words into segments, `figures` is what is known of motors and trains, `meets` holds one
against the other, `ratio` looks for the best ratio of one motor, `teeth` for gears that make it.
"""
