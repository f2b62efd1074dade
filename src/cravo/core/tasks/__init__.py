"""Long work, written once: tracking, propagating, searching.

Each goes by what results hold already, puts into them what it makes as it comes, and so goes on where it stopped. What
calls it binds it to a queue, to a terminal or to a report; `progress(done, total)` may raise Stopped.
"""
