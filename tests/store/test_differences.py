"""What became of a document as a patch that any reader of RFC 6902 applies."""

from __future__ import annotations

from copy import deepcopy

import jsonpatch
from hypothesis import given
from hypothesis import strategies as some

from cravo.store.patches import difference

plain = some.recursive(
    some.none() | some.booleans() | some.integers(-3, 3) | some.floats(-2, 2) | some.text("a~/b", max_size=3),
    lambda inner: some.lists(inner, max_size=4) | some.dictionaries(some.text("a~/b", max_size=2), inner, max_size=4),
    max_leaves=16,
)


@given(plain, plain)
def test_it_makes_the_one_of_the_other_and_back(before: object, after: object) -> None:
    one, other = {"of": before}, {"of": after}
    made = jsonpatch.apply_patch(deepcopy(one), difference(one, other))
    assert made == other
    assert jsonpatch.apply_patch(deepcopy(other), difference(other, one)) == one
    assert difference(one, deepcopy(one)) == []


def test_it_is_no_longer_than_what_was_changed() -> None:
    before = {"items": [{"name": f"shot {n}", "regions": []} for n in range(200)]}
    renamed, shorter, longer = deepcopy(before), deepcopy(before), deepcopy(before)
    renamed["items"][7]["name"] = "x"
    del shorter["items"][50]
    longer["items"].insert(50, {"name": "new", "regions": []})
    assert difference(before, renamed) == [{"op": "replace", "path": "/items/7/name", "value": "x"}]
    assert difference(before, shorter) == [{"op": "remove", "path": "/items/50"}]
    assert difference(before, longer) == [{"op": "add", "path": "/items/50", "value": {"name": "new", "regions": []}}]
