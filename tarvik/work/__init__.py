"""What runs beside the screens: solving with a memory, a second process for searches, the queue of
plans.
"""
