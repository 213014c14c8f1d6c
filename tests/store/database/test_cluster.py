import os
import socket
import stat

import pytest

from reditus.store.database.cluster import Cluster, ClusterError


def test_a_cluster_listens_on_loopback_only_and_keeps_its_password(cluster):
    assert cluster.is_running()
    assert "@127.0.0.1:" in cluster.url
    password = cluster.folder / "password"
    assert stat.S_IMODE(password.stat().st_mode) == 0o600
    assert len(password.read_text()) > 30


def test_before_the_first_start_there_is_no_address(tmp_path):
    cluster = Cluster(tmp_path / "none")
    assert not cluster.is_running()
    with pytest.raises(ClusterError, match="serve"):
        _ = cluster.url


@pytest.mark.skipif(os.geteuid() != 0, reason="only root hands the folder to another user")
def test_a_folder_the_database_user_cannot_reach_is_explained(tmp_path):
    closed = tmp_path / "closed"
    closed.mkdir(mode=0o700)
    with pytest.raises(ClusterError, match="REDITUS_DATA"):
        Cluster(closed / "database").make()


def test_a_port_taken_at_the_last_moment_is_left_to_its_taker(tmp_path_factory, monkeypatch):
    folder = tmp_path_factory.mktemp("taken")
    for each in (folder, *folder.parents):
        if "pytest" in str(each):
            each.chmod(0o755)
    late = Cluster(folder / "database")
    late.make()
    with socket.socket() as taker:
        taker.bind(("127.0.0.1", 0))
        taker.listen()
        port = taker.getsockname()[1]
        monkeypatch.setattr(late, "_port", lambda: port)
        late.start()
        try:
            assert late.is_running()
            assert f":{port}/" not in late.url
        finally:
            late.stop()
