"""What repeats with the turns of a shaft: signals over its angle, their spectrum by order, and the
part that makes each line.

An order is how often something repeats in one turn of the shaft that is counted by.
"""
