"""A cluster of machines, of which one goes in the midst of a question, again and again: what it held is made anew on another, and every figure is right."""

import os
import threading
import time

import pytest
import ray
from ray.cluster_utils import Cluster

from tests.scale.conftest import DIMENSIONS, MEMORY, actors, told
from upper_compass.frames.placing import Places
from upper_compass.spread.ray_reader import RayReader
from upper_compass.store.storage import Storage

# COMPASS_KILLS=20 does it as often as is asked for.
KILLS = int(os.environ.get("COMPASS_KILLS", "2"))


@pytest.fixture
def machines():
    """Two machines of Ray, as processes of this one, and a head that holds nothing."""
    ray.shutdown()
    made = Cluster(initialize_head=True, head_node_args={"num_cpus": 0, "include_dashboard": False})
    for _ in range(2):
        made.add_node(num_cpus=1)
    made.wait_for_nodes()
    yield made
    ray.shutdown()
    made.shutdown()
    ray.init(log_to_driver=False, include_dashboard=False, configure_logging=False)


def node_with_most_parts(machines):
    """The machine whose own process most parts stand under."""
    above = list(actors().values())
    raylets = {node: node.all_processes["raylet"][0].process.pid for node in machines.worker_nodes}
    return max(machines.worker_nodes, key=lambda node: above.count(raylets[node]))


def test_machines_go_and_nothing_is_wrong(machines, database, site, here, store, tmp_path):
    store(range(200))
    reader = RayReader(database, Places(Storage(str(tmp_path))), MEMORY, 2, machines.address)
    assert told(reader, site) == told(here, site)
    assert len(set(actors().values())) == 2  # one part on each machine
    for number in range(KILLS):
        machines.add_node(num_cpus=1)
        while len(actors()) < 2:  # those that went are made anew just now
            time.sleep(0.05)
        store(range(300 + 20 * number, 310 + 20 * number))
        going = threading.Timer(0.05, machines.remove_node, [node_with_most_parts(machines)], {"allow_graceful": False})
        going.start()
        for dimension in DIMENSIONS:
            assert told(reader, site, dimension) == told(here, site, dimension)
        going.join()
        store(range(310 + 20 * number, 320 + 20 * number))
        assert told(reader, site) == told(here, site)
    reader.close()
