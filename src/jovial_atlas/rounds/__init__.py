"""The rounds of the work: each module does one command's work on one site, without interface.

They join the rooms below: read the site file, hand values from stage to stage, keep the state
folder. What they give back is rendered elsewhere. They stand in groups, and a group knows only
those before it: `state` (what is kept, and what is public), `reading` (surveys), `deciding` (rules,
pages, explanations), `publishing` (builds, head data in pages, previews), `proving` (checks),
`telling` (announcements, what engines and logs say, reports).
"""
