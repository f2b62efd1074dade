"""What windows are told: what changes, and what other windows in the same project have in hand."""

import json

NEWS = "ws://127.0.0.1:8470/api/news"


def show(socket, project, region=None):
    socket.send_text(json.dumps({"project": project, "region": region}))


def test_two_windows_in_one_project_see_what_the_other_one_has_selected(client, project):
    id, region = project["id"], project["document"]["layers"][0]["items"][0]["regions"][0]["id"]
    with client.websocket_connect(NEWS) as one, client.websocket_connect(NEWS) as other:
        show(one, id, region)
        show(other, id)
        here_first = other.receive_json()
        assert (here_first["kind"], here_first["project"], here_first["region"]) == ("window", id, region)
        came = one.receive_json()
        assert (came["kind"], came["region"]) == ("window", None)
        show(other, id, region)
        assert one.receive_json() == {**came, "region": region}
        other.close()
        gone = one.receive_json()
        assert (gone["id"], gone["project"]) == (came["id"], None)


def test_windows_elsewhere_hear_nothing_of_it_and_nonsense_is_passed_over(client, project):
    with client.websocket_connect(NEWS) as one, client.websocket_connect(NEWS) as other:
        show(one, project["id"], "r")
        show(other, "00000000-0000-0000-0000-000000000000", "s")
        for nonsense in (
            "",
            "{",
            "[]",
            "null",
            json.dumps({"project": "no id"}),
            "x" * 100_000,
            json.dumps({"region": 3}),
        ):
            other.send_text(nonsense)
        show(other, project["id"], "t")
        assert one.receive_json()["region"] == "t"  # the first thing that it hears
        assert other.receive_json()["region"] == "r"
