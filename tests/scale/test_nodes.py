"""A cluster of machines, of which one goes in the midst of a question, again and again: what it held is made anew on another, and every figure is right."""

import os
import threading

import pytest
import ray
from ray.cluster_utils import Cluster

from tests.scale.conftest import DIMENSIONS, MEMORY, actors, told
from upper_compass.frames.placing import Places
from upper_compass.spread.ray_reader import RayReader
from upper_compass.store.storage import Storage

# COMPASS_KILLS=20 does it as often as is asked for.
KILLS = int(os.environ.get("COMPASS_KILLS", "1"))
# How Ray finds out that a machine is gone: as shipped it takes half a minute.
LOOKS = {"health_check_initial_delay_ms": 1000, "health_check_period_ms": 1000, "health_check_timeout_ms": 2000, "health_check_failure_threshold": 4}


PARTS = 4


@pytest.fixture
def machines():
    """Two machines of Ray, as processes of this one: the head, by which this process asks, and one that can go."""
    ray.shutdown()
    made = Cluster(initialize_head=True, head_node_args={"num_cpus": 1, "include_dashboard": False, "_system_config": LOOKS})
    made.add_node(num_cpus=1)
    made.wait_for_nodes()
    yield made
    ray.shutdown()
    made.shutdown()
    ray.init("local", log_to_driver=False, include_dashboard=False, configure_logging=False)


def parts_on(node):
    """How many parts stand under the machine's own process."""
    return list(actors().values()).count(node.all_processes["raylet"][0].process.pid)


def test_machines_go_and_nothing_is_wrong(machines, database, site, here, store, tmp_path):
    store(range(200))
    places = Places(Storage(str(tmp_path)))
    reader = RayReader(database, places, MEMORY, PARTS, machines.address)
    assert told(reader, site) == told(here, site)
    assert len(set(actors().values())) == 2  # some parts on each machine
    for number in range(KILLS):
        [goes] = machines.worker_nodes
        if not parts_on(goes):  # all were made anew on the head: let them be spread once more
            reader.close()
            reader = RayReader(database, places, MEMORY, PARTS, machines.address)
            assert told(reader, site) == told(here, site)
        assert parts_on(goes) > 0
        machines.add_node(num_cpus=1)
        machines.wait_for_nodes()
        store(range(300 + 20 * number, 310 + 20 * number))
        going = threading.Timer(0.05, machines.remove_node, [goes], {"allow_graceful": False})
        going.start()
        for dimension in DIMENSIONS:
            assert told(reader, site, dimension) == told(here, site, dimension)
        going.join()
        store(range(310 + 20 * number, 320 + 20 * number))
        assert told(reader, site) == told(here, site)
    reader.close()
