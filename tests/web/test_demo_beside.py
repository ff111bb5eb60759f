"""The demo household beside one's own: started once, shown when it answers."""

import socket
import subprocess

from brood.cli import demo_beside


class Stand:
    """Stands in for the demo's process."""

    def __init__(self):
        self.address, self.begun = "", 0

    def begin(self):
        self.begun += 1


def test_an_empty_household_leads_to_the_demo_beside_it(client):
    assert "Walk through the demo" not in client.get("/").get_data(as_text=True)
    assert client.get("/demo").status_code == 404
    stand = client.application.extensions["demo"] = Stand()
    assert "Walk through the demo" in client.get("/").get_data(as_text=True)
    assert client.post("/demo").headers["Location"] == "/demo"
    assert stand.begun == 1
    page = client.get("/demo").get_data(as_text=True)
    assert "being laid out" in page
    assert 'http-equiv="refresh"' in page
    stand.address = "http://127.0.0.1:8001"
    assert client.get("/demo").headers["Location"].startswith(stand.address)


def test_it_is_started_once_and_on_a_port_that_is_free(tmp_path, monkeypatch):
    started = []

    class Child:
        def __init__(self, command, **_):
            started.append(command)

        def poll(self):
            return None

        def terminate(self):
            return None

    monkeypatch.setattr(subprocess, "Popen", Child)
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        demo = demo_beside.DemoBeside(tmp_path, port - 1)
        assert demo.address == ""
        demo.begin()
        demo.begin()
    assert len(started) == 1
    assert demo.port > port
    assert started[0][-1] == str(demo.port)
    assert demo.address == ""
