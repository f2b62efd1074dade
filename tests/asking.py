"""Requests and answers that several tests of the API share."""

import numpy as np

from cravo.jobs.queue import perform

POSE = {"x": 150, "y": 100, "rx": 50, "ry": 40, "rotation": 0}


def shift(frame):
    return np.array([[1, 0, 2.0 * frame], [0, 1, 0], [0, 0, 1]])


def work_off(stores):
    """Do what is queued, in this process."""
    for row in stores.work.open():
        perform(stores, str(row["id"]))


def change(client, state, **edit):
    edit = {"shot": shot_of(state)["id"], **edit}
    return client.post(f"/api/projects/{state['id']}/changes", json={"seen": state["revision"], "edit": edit})


def shot_of(state):
    return state["document"]["layers"][0]["items"][0]


def part_of(state):
    return shot_of(state)["regions"][0]["parts"][0]


def follow(client, state, **wish):
    body = {"seen": state["revision"], "shot": shot_of(state)["id"], "part": part_of(state)["id"], "frame": 4, **wish}
    return client.post(f"/api/projects/{state['id']}/follow", json=body)
