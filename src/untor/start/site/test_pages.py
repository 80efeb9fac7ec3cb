"""Tests of the site's pages: pytest."""

from views import VIEWS, pages


def test_nothing_is_wrong():
    """The checker finds nothing wrong in the templates."""
    assert pages.check() == []


def test_every_page():
    """Each address has a page."""
    for view in VIEWS.values():
        assert b"</html>" in view().body


def test_hostile_value():
    """Whatever is written in the tide table stays text."""
    page = pages.render("tides", place="<script>", tides=[{"at": "02:30", "height": "<b>"}])
    assert "&lt;script&gt;" in page
    assert "&lt;b&gt;" in page
