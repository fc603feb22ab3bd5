"""Wear: what is seen and measured on an opened drive, how fast it wears and how long it will last.

`modes`: the words of damage; `inspection`: the record; `parts`: what can be worn, and the work that
has passed each flank; `thinning`: from a size to the depth worn off; `course`: a rate from several
inspections, running-in apart; `judge`: all of it for one drive.
"""
