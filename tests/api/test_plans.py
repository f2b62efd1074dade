"""What is being rendered stays what it was when it was asked for."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from tests.jobs.test_at_the_press import solid

from cravo.api.studio import Studio


def test_what_is_being_rendered_does_not_change_with_the_document(client, stores, project):
    studio = Studio(stores)
    bare = studio.state(project["id"])
    covered_state = solid(client, project)
    covered = studio.state(project["id"])
    assert covered.revision == covered_state["revision"] > bare.revision
    before, after = studio.plan(bare), studio.plan(covered)
    wanted = {plan: plan.frame(4).to_rgb() for plan in (before, after)}
    assert not np.array_equal(wanted[before], wanted[after])

    def render(plan):
        return all(np.array_equal(plan.frame(4).to_rgb(), wanted[plan]) for _ in range(12))

    with ThreadPoolExecutor(2) as pool:
        outcomes = [pool.submit(render, plan) for plan in (before, after)]
        # Windows with both states ask for pictures meanwhile.
        while not all(outcome.done() for outcome in outcomes):
            studio.plan(bare)
            studio.plan(covered)
        assert all(outcome.result() for outcome in outcomes)
