"""Gear trains: kinematics, tooth geometry, mesh losses, torque with losses, and true outlines to
draw.
"""
