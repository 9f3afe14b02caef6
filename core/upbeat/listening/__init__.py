"""What is found in recordings: the grid that players followed, joins that are audible, faults of files.

- ``follow``: beats, bars and their fit to a tempo map; ``seam``: joins of sections
- ``trace``: the sound of a stem over time; ``comparing`` two versions of a song bar by bar
- ``findings``: faults of files, one sentence each; ``groups``: stems by what they sound like
- ``inspect``: everything that is known of one file
"""
