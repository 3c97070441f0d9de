"""Work that is done beside the requests.

- :mod:`~ember_web.jobs.workers`: processes that compute, so that no page or board waits for the interpreter.
- :mod:`~ember_web.jobs.newest`: of each piece only the newest question is answered; a request never waits.
- :mod:`~ember_web.jobs.waiting`: a page that waits for its answer, no longer than its limit.
- :mod:`~ember_web.jobs.long`: what takes minutes, done by workers of a queue in the database; it outlives its request.
"""
