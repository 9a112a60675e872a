"""The rounds of the work: each module does one command's work on one site, without interface.

They join the rooms below: read the site file, hand values from stage to stage, keep the
state folder. What they give back is rendered elsewhere.
"""
