"""Pure computation on plain typed values: no files, clock, environment, database or web.

World frame: x, y level, z up, metres, ground at z = 0. Sheet frame: (u, v) in metres. A pitch's
front faces -x at heading 0. Bearings run clockwise from +y (north); headings in the computation run
anticlockwise from +x, in degrees.
"""
