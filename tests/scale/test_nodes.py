"""A cluster of two machines, of which one goes in the midst of a question: what it held is made anew on the other, and every figure is right."""

import threading

import pytest
import ray
from ray.cluster_utils import Cluster

from tests.scale.conftest import DIMENSIONS, MEMORY, actors, told
from upper_compass.frames.placing import Places
from upper_compass.spread.ray_reader import RayReader
from upper_compass.store.storage import Storage


@pytest.fixture
def machines():
    """Two machines of Ray, as processes of this one: the head, and one that can go."""
    ray.shutdown()
    cluster = Cluster(initialize_head=True, head_node_args={"num_cpus": 1, "include_dashboard": False})
    goes = cluster.add_node(num_cpus=1)
    cluster.wait_for_nodes()
    yield cluster, goes
    ray.shutdown()
    cluster.shutdown()
    ray.init(log_to_driver=False, include_dashboard=False, configure_logging=False)


def test_a_machine_goes_and_nothing_is_wrong(machines, database, site, here, store, tmp_path):
    cluster, goes = machines
    store(range(200))
    reader = RayReader(database, Places(Storage(str(tmp_path))), MEMORY, 2, cluster.address)
    assert told(reader, site) == told(here, site)
    assert len(set(actors().values())) == 2  # one part on each machine
    store(range(300, 320))
    going = threading.Timer(0.05, cluster.remove_node, [goes], {"allow_graceful": False})
    going.start()
    for dimension in DIMENSIONS:
        assert told(reader, site, dimension) == told(here, site, dimension)
    going.join()
    store(range(400, 410))
    assert told(reader, site) == told(here, site)
    reader.close()
