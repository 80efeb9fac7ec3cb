import pytest
from starlette.testclient import TestClient
from views import app, pages


@pytest.fixture
def site(tmp_path, monkeypatch):
    monkeypatch.setenv("DATABASE", str(tmp_path / "calls.db"))
    return TestClient(app)


def test_templates():
    assert pages.check() == []


def test_announced(site):
    page = site.post("/announce", data={"vessel": "Sea <Holly>", "draught": "3.5"}).text
    assert "Your call is announced." in page and "Sea &lt;Holly&gt;" in page
    assert "is announced" not in site.get("/").text


def test_what_was_typed_is_shown_again(site):
    answer = site.post("/announce", data={"vessel": '"><b>', "draught": "deep"})
    assert answer.status_code == 422 and "&lt;b&gt;" in answer.text


def test_problems(site):
    assert site.get("/nowhere").status_code == 404
    assert site.post("/announce", headers={"sec-fetch-site": "cross-site"}).status_code == 403
