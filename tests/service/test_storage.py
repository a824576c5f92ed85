"""Storage: a folder, or a service with the S3 protocol; both alike."""

import pickle

import pytest

from tests.service.object_storage import BUCKET, KEY, SECRET, object_storage
from upper_compass.store.storage import Storage, StorageAwayError


@pytest.fixture(scope="module")
def service():
    with object_storage() as held:
        yield held


@pytest.fixture
def objects(service):
    storage, _ = service
    storage.objects.clear()
    storage.away = False
    return storage


@pytest.fixture(params=["folder", "service"])
def storage(request, tmp_path, service, objects):
    if request.param == "folder":
        return Storage(str(tmp_path / "kept"))
    return Storage(f"s3://{BUCKET}/some/where", service[1], "here", KEY, SECRET)


def test_what_is_written_is_read_listed_and_removed(storage):
    assert storage.names() == []
    storage.write("a/b/one", b"1")
    storage.write("a/two", b"2" * 20_000_000)
    storage.write("a/two", b"2" * 12_000_000)
    storage.below("a").write("ö and space", b"")
    assert storage.names() == ["a/b/one", "a/two", "a/ö and space"]
    assert storage.names("a/b") == ["a/b/one"]
    assert (storage.read("a/two"), storage.below("a").read("b/one")) == (b"2" * 12_000_000, b"1")
    storage.remove("a/two", "never there")
    storage.remove_below("a/b")
    assert storage.names() == ["a/ö and space"]
    with pytest.raises(FileNotFoundError):
        storage.read("a/two")


def test_what_breaks_off_leaves_what_was_there(storage):
    storage.write("one", b"whole")
    with pytest.raises(ZeroDivisionError), storage.making("one") as file:
        file.write_bytes(b"hal")
        raise ZeroDivisionError
    assert (storage.read("one"), storage.names()) == (b"whole", ["one"])


def test_it_is_handed_to_another_process(storage):
    storage.write("one", b"1")
    assert pickle.loads(pickle.dumps(storage)).read("one") == b"1"


def test_a_service_that_is_away_or_will_not_have_us_is_told(service, objects):
    given = f"s3://{BUCKET}/some", service[1], "here"
    for key, bucket in (("another-key", BUCKET), (KEY, "not-there")):
        with pytest.raises(StorageAwayError, match="cannot be reached"):
            Storage(f"s3://{bucket}/some", service[1], "here", key, SECRET).write("one", b"1")
    assert objects.objects == {}
    with pytest.raises(StorageAwayError):
        Storage(given[0], "http://127.0.0.1:1", "here", KEY, SECRET).read("one")
    with pytest.raises(StorageAwayError):
        Storage(given[0], "http://127.0.0.1:1", "here", KEY, SECRET).names()
    objects.away = True
    with pytest.raises(StorageAwayError):
        Storage(*given, KEY, SECRET).names("some")
