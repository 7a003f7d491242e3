"""What pools of other languages do, beside what the catalog says: run by ``scripts/test-drivers``."""

import os

import pytest

from ..pooling.seen import OTHERS, look


@pytest.mark.servers
@pytest.mark.skipif(os.environ.get("CORDTALLY_JUDGES") != "1", reason="run by scripts/test-drivers")
@pytest.mark.parametrize("name", OTHERS)
def test_a_pool_does_what_the_catalog_says(name, request):
    server, (opened,) = OTHERS[name]
    port = 0 if server is None else request.getfixturevalue(server).port
    assert [row for row in look(name, opened, port) if row.catalog != row.seen] == []
