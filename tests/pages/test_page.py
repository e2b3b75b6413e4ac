"""A report as its reader meets it: opened from a file, turned, slid, marked, undone, saved, on a phone and in print."""

import csv
import io
import re
import xml.etree.ElementTree as ET

import numpy as np
import pytest
from playwright.sync_api import expect

import earshot as es
from browser import browser, needs_browser
from earshot.files.curves import read_network

SIZES = [(1280, 800), (390, 844)]


@pytest.fixture(scope="module")
def open_page():
    with browser() as opened:
        yield opened


@pytest.fixture(scope="module")
def tag(demo_path):
    return es.run(demo_path)


@pytest.fixture(scope="module")
def tag_page(tag, tmp_path_factory):
    return es.report(tag, tmp_path_factory.mktemp("tag") / "tag.html")


@pytest.fixture(scope="module")
def variants(tag, demo_path, tmp_path_factory):
    meter = read_network(demo_path.parent / "roof_meter.csv")
    short = es.solve(tag.file.design.with_(driven="0.9 m"), [es.band("140 MHz", "160 MHz", 41), "150.1 MHz"])
    models = {"as it is": tag, "short": short, "on the roof": meter}
    return es.report(models, tmp_path_factory.mktemp("variants") / "page.html", title="Tag receiver, two ways")


@needs_browser
@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_it_opens_from_a_file_and_asks_for_nothing(open_page, tag, tag_page, size, scheme):
    page = open_page(tag_page, size, color_scheme=scheme)
    assert tag_page.stat().st_size < 6e6
    assert not page.said
    assert not page.outside
    assert page.page.title() == "Ternholm tag receiver"
    told = page.page.locator("#told").inner_text()
    z = tag.cases[0].driven.ports_table()["active_impedance_ohm"].iloc[0]
    assert f"{z.real:.2f}" in told
    assert f"{float(tag.cases[0].field.summary()['value']['gain']):.2f} dBi" in told
    assert "±" in told
    # Nothing sticks out sideways.
    assert page("document.documentElement.scrollWidth") <= size[0]
    assert page("document.documentElement.dataset.theme") == scheme


@needs_browser
@pytest.mark.parametrize("size", SIZES)
def test_the_slider_goes_through_everything(open_page, tag, tag_page, size):
    page = open_page(tag_page, size)
    stops = page("earshot.models[0].stops")
    assert 150.1e6 in stops
    assert stops == sorted(stops)
    slider = page.page.locator("#stop")
    slider.focus()
    for _ in range(6):
        page.page.keyboard.press("ArrowRight")
    hertz = page("earshot.now().hertz")
    assert hertz == stops[stops.index(150.1e6) + 6]
    driven = tag.solution.drive(frequency=hertz)
    z, found = driven.ports_table()["active_impedance_ohm"].iloc[0], page("earshot.now()")
    assert complex(*found["ports"][0]["impedance"]) == pytest.approx(complex(z), rel=1e-3)
    assert found["figures"]["gain"] == pytest.approx(float(driven.far_field().summary()["value"]["gain"]), abs=0.004)
    assert "±" not in page.page.locator("#told").inner_text()
    # What is done in one go is undone in one; a slow machine makes several of it.
    while page.page.locator("#undo").is_enabled():
        page.page.locator("#undo").click()
    assert page("earshot.now().hertz") == 150.1e6
    while page.page.locator("#redo").is_enabled():
        page.page.locator("#redo").click()
    assert page("earshot.now().hertz") == hertz
    page.page.locator("#reset").click()
    assert "±" in page.page.locator("#told").inner_text()


@needs_browser
@pytest.mark.parametrize("size", SIZES)
def test_a_termination_is_changed_by_hand(open_page, tmp_path, size):
    rod = es.antennas.dipole("868 MHz").antenna
    solution = es.solve(es.arrays.repeated(rod, es.arrays.line(3, "0.17 m")), "868 MHz")
    page = open_page(es.report({"three rods": solution}, tmp_path / "rods.html"), size)
    names = [port.name for port in solution.antenna.ports]
    second = page.page.get_by_role("row").filter(has=page.page.get_by_text(names[1], exact=True)).first
    second.get_by_label("closed by").select_option("open")
    assert page("earshot.state")["drives"][0][1]["closing"] == "open"
    second.get_by_label("closed by").select_option("own")
    second.get_by_label("closing R").fill("12")
    second.get_by_label("closing X").fill("-35.5")
    driven = solution.drive({names[0]: es.watts(1)}, terminations={names[1]: 12 - 35.5j})
    found = page("earshot.now()")
    z = complex(driven.ports_table()["active_impedance_ohm"].iloc[0])
    assert complex(*found["ports"][0]["impedance"]) == pytest.approx(z, rel=1e-3)
    assert found["figures"]["gain"] == pytest.approx(float(driven.far_field().summary()["value"]["gain"]), abs=0.004)
    second.get_by_label("fed by").select_option("voltage")
    second.get_by_label("amount").fill("2")
    second.get_by_label("phase").first.fill("90")
    driven = solution.drive({names[0]: es.watts(1), names[1]: es.volts(2, 90)})
    z = complex(driven.ports_table()["active_impedance_ohm"].iloc[1])
    assert complex(*page("earshot.now()")["ports"][1]["impedance"]) == pytest.approx(z, rel=1e-3)
    # What is no number, or no amount, changes nothing.
    before = page("earshot.state")
    second.get_by_label("amount").fill("-3")
    second.get_by_label("phase").first.fill("")
    assert page("earshot.state") == before
    assert not page.said


@needs_browser
def test_it_turns_by_mouse_touch_and_keyboard(open_page, tag_page):
    page = open_page(tag_page, has_touch=True)
    place = "earshot.space.camera.position.toArray()"
    start = page(place)
    box = page.page.locator("#canvas").bounding_box()
    page.page.mouse.move(box["x"] + 100, box["y"] + 100)
    page.page.mouse.down()
    page.page.mouse.move(box["x"] + 180, box["y"] + 120, steps=4)
    page.page.mouse.up()
    by_mouse = page(place)
    assert np.linalg.norm(np.subtract(by_mouse, start)) > 0.1
    page.page.locator("#canvas").focus()
    page.page.keyboard.press("ArrowLeft")
    by_key = page(place)
    assert np.linalg.norm(np.subtract(by_key, by_mouse)) > 0.1
    page.page.keyboard.press("+")
    assert np.linalg.norm(page(place)) < np.linalg.norm(by_key)
    page.page.keyboard.press("0")
    assert page(place) == pytest.approx(start)
    page.page.locator(".view summary").click()
    for name in ("phase", "moving", "none", "size"):
        page.page.locator("#currents").select_option(name)
    for name in page("[...document.querySelectorAll('#figure option')].map(o => o.value)"):
        page.page.locator("#figure").select_option(name)
    page.page.locator("#near").select_option("e")
    assert "case as solved" in page.page.locator("#scale-near").inner_text()
    page.page.locator("#cut-share").fill("0.4")
    for name in ("linear", "dB", "compressed"):
        page.page.locator("#law").select_option(name)
    page.page.locator("#apart").check()
    assert not page.said


@needs_browser
def test_markers_stay_and_are_shared(open_page, variants):
    page = open_page(variants)
    chart = page.page.locator(".chart", has_text="VSWR over frequency").locator("svg")
    chart.scroll_into_view_if_needed()
    expect(chart.locator("path").first).to_be_visible()
    box = chart.bounding_box()
    page.page.mouse.click(box["x"] + 0.4 * box["width"], box["y"] + 0.5 * box["height"])
    rows = page.page.locator("#markers tbody tr")
    expect(rows).to_have_count(3)
    assert 145e6 < page("earshot.state")["markers"][0] < 150e6
    assert page.page.locator("#markers").inner_text().count("on the roof") == 1
    # By the keyboard alone.
    chart.focus()
    page.page.keyboard.press("ArrowRight")
    assert "MHz:" in page.page.locator(".chart", has_text="VSWR over frequency").locator("figcaption").inner_text()
    page.page.keyboard.press("Enter")
    expect(rows).to_have_count(6)
    page.page.get_by_role("button", name="remove A").click()
    expect(rows).to_have_count(3)
    polar = page.page.locator(".chart", has_text="Polar cut").locator("svg")
    polar.scroll_into_view_if_needed()
    polar.click(position={"x": 60, "y": 120})
    expect(page.page.locator("#angle-markers tbody tr").nth(1)).to_be_visible()


@needs_browser
def test_a_click_is_not_lost_where_the_chart_is_drawn_anew_meanwhile(open_page, variants):
    page = open_page(variants)
    polar = page.page.locator(".chart", has_text="Polar cut").locator("svg")
    polar.scroll_into_view_if_needed()
    expect(polar.locator("path").first).to_be_visible()
    # On a word of it, which is another one after that.
    word = "[...document.querySelectorAll('#pattern-charts .chart svg text')][1]"
    x, y = page.page.evaluate(
        f"() => {{ const b = {word}.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; }}"
    )
    page.page.mouse.move(x, y)
    page.page.mouse.down()
    before = page.page.evaluate_handle(word)
    page.page.evaluate("document.getElementById('theme').click()")
    page.page.wait_for_function("(word) => !word.isConnected", arg=before)
    page.page.mouse.up()
    expect(page.page.locator("#angle-markers tbody tr").nth(1)).to_be_visible()


@needs_browser
def test_what_is_pointed_at_before_it_is_drawn_answers(open_page, tag_page):
    page = open_page(tag_page, (1280, 300))
    polar = page.page.locator(".chart", has_text="Polar cut").locator("svg")
    assert polar.locator("path").count() == 0
    box = polar.bounding_box()
    polar.dispatch_event("click", {"clientX": box["x"] + 60, "clientY": box["y"] + 120})
    assert len(page("earshot.state.angles")) == 1


@needs_browser
@pytest.mark.parametrize("size", SIZES)
def test_nothing_moves_while_charts_are_drawn(open_page, tag_page, size):
    page = open_page(tag_page, size)
    tall = "document.documentElement.scrollHeight"
    before = page(tall)
    charts = page.page.locator(".chart svg")
    for n in range(charts.count()):
        charts.nth(n).scroll_into_view_if_needed()
        expect(charts.nth(n).locator("path, circle").first).to_be_attached()
    assert abs(page(tall) - before) < 2 * charts.count()


@needs_browser
def test_variants_lie_over_one_another(open_page, variants):
    page = open_page(variants)
    assert page.page.title() == "Tag receiver, two ways"

    chart = page.page.locator(".chart", has_text="VSWR over frequency")
    curves = chart.locator("path[stroke-width]")
    chart.scroll_into_view_if_needed()
    expect(curves).to_have_count(3)
    page.page.get_by_role("checkbox", name="on the roof").uncheck()
    # Nothing is drawn that is out of sight.
    chart.scroll_into_view_if_needed()
    expect(curves).to_have_count(2)
    gain = page("earshot.now().figures.gain")
    page.page.get_by_role("button", name="look at short").click()
    assert page("earshot.state.live") == 1
    assert page("earshot.now().figures.gain") != gain
    # A curve without phase has no place on a Smith chart.
    smith = page.page.locator(".chart", has_text="Smith chart").locator("svg")
    page.page.get_by_role("checkbox", name="on the roof").check()
    smith.scroll_into_view_if_needed()
    expect(smith.locator("path").first).to_be_visible()
    expect(smith).not_to_contain_text("roof")


@needs_browser
def test_a_cut_changed_after_an_undo_keeps_its_angle(open_page, tag_page):
    page = open_page(tag_page)
    page.page.locator("#cut").select_option("elevation")
    page.page.locator("#cut-angle").fill("20")
    page.page.locator("#cut-angle").blur()
    page.page.locator("#cut-angle").fill("35")
    page.page.locator("#cut-angle").blur()
    while page("earshot.state.cut.angle") == 35:
        page.page.locator("#undo").click()
    angle = page("earshot.state.cut.angle")
    page.page.locator("#cut").select_option("azimuth")
    assert page("earshot.state.cut") == {"kind": "azimuth", "angle": angle}
    assert float(page.page.locator("#cut-angle").input_value()) == pytest.approx(angle)


@needs_browser
def test_every_port_of_a_measured_network_is_drawn(open_page, tmp_path):
    rods = es.arrays.repeated(es.antennas.dipole("868 MHz").antenna, es.arrays.line(3, "0.17 m"))
    network = es.solve(rods, es.band("840 MHz", "900 MHz", 31)).network
    page = open_page(es.report({"rods": es.solve(rods, "868 MHz"), "meter": network}, tmp_path / "page.html"))
    chart = page.page.locator(".chart", has_text="VSWR over frequency")
    rows = list(csv.reader(io.StringIO(page.saved(chart.get_by_role("button", name="CSV").click)[1].decode())))
    assert rows[0] == ["curve", "frequency, Hz", "VSWR"]
    for n, port in enumerate(network.ports):
        found = np.array([row[1:] for row in rows if row[0] == f"meter, {port}"], float)
        assert found[:, 0] == pytest.approx(network.frequencies)
        assert found[:, 1] == pytest.approx(network.vswr().values[:, n], rel=2e-3)


@needs_browser
def test_everything_on_it_is_saved(open_page, tag, tag_page):
    page = open_page(tag_page)
    chart = page.page.locator(".chart", has_text="VSWR over frequency")
    name, raw = page.saved(chart.get_by_role("button", name="CSV").click)
    rows = list(csv.reader(io.StringIO(raw.decode())))
    assert name == "VSWR-over-frequency.csv"
    assert rows[0] == ["curve", "frequency, Hz", "VSWR"]
    values = np.array([[float(x) for x in row[1:]] for row in rows[1:]])
    exact = tag.solution.network.vswr().values[:, 0]
    assert values[:, 0] == pytest.approx(tag.solution.network.frequencies)
    assert values[:, 1] == pytest.approx(exact, rel=1e-3)
    name, raw = page.saved(chart.get_by_role("button", name="SVG").click)
    assert ET.fromstring(raw).tag.endswith("svg")
    assert name.endswith(".svg")
    name, raw = page.saved(chart.get_by_role("button", name="PNG").click)
    assert raw[:8] == b"\x89PNG\r\n\x1a\n"
    # Gain over frequency is that of one direction, and says which.
    over = page.page.locator(".chart", has_text="Gain over frequency").get_by_role("button", name="CSV")
    rows = list(csv.reader(io.StringIO(page.saved(over.click)[1].decode())))
    peak = page("earshot.now().figures")
    assert rows[0][2] == f"dBi towards azimuth {peak['azimuth']:.1f}°, elevation {abs(peak['elevation']):.1f}°"
    gains = {float(f): float(value) for name, f, value in rows[1:] if name == "gain"}
    assert gains[150.1e6] == pytest.approx(peak["gain"], abs=1e-3)
    assert min(gains) < 141e6 < 159e6 < max(gains)
    page.page.locator(".view summary").click()
    assert page.saved(page.page.locator("#save-space").click)[1][:4] == b"\x89PNG"
    name, raw = page.saved(page.page.locator("#save-sphere").click)
    rows = list(csv.DictReader(io.StringIO(raw.decode())))
    assert max(float(row["gain"]) for row in rows) == pytest.approx(7.31, abs=0.02)
    table = page.page.get_by_role("button", name=re.compile("^figures, .*: save as CSV"))
    assert "front-to-back ratio" in page.saved(table.click)[1].decode()
    # The design is in it, and solves to the same.
    name, raw = page.saved(page.page.get_by_role("button", name=re.compile(r"^save .*\.toml")).click)
    assert raw.decode() == tag.file.design.build.text


@needs_browser
def test_tables_sort_and_units_switch(open_page, tag_page):
    page = open_page(tag_page)
    table = page.page.get_by_role("region", name="where the power goes", exact=False)
    power = table.get_by_role("button", name="power, W: sort")
    power.click()
    expect(table.get_by_role("columnheader", name="power, W")).to_have_attribute("aria-sort", "ascending")
    cells = [float(x.replace("−", "-")) for x in table.locator("tbody td:nth-child(2)").all_inner_texts()]
    assert cells == sorted(cells)
    page.page.locator("#reference").select_option("dBd")
    assert "5.16 dBd" in page.page.locator("#told").inner_text()
    assert page.page.locator("#tables").inner_text().count("dBd") >= 3
    page.page.locator("#length").select_option("in")
    assert " in." in page.page.locator("#told-note").inner_text()
    assert "37.3622 in" in page.page.locator("#tables").inner_text()
    page.page.get_by_role("link", name="realized gain").first.click()
    assert "word-realized-gain" in page.page.url
    assert "mismatch" in page.page.locator("#word-realized-gain + dd").inner_text()


@needs_browser
def test_enlarged_and_in_print(open_page, tag_page, tmp_path):
    page = open_page(tag_page)
    chart = page.page.locator(".chart", has_text="Smith chart")
    chart.get_by_role("button", name="larger").click()
    assert chart.bounding_box()["width"] > 1200
    page.page.keyboard.press("Escape")
    assert chart.bounding_box()["width"] < 700
    pdf = page.page.pdf(format="A4", print_background=True)
    assert pdf[:4] == b"%PDF"
    page.page.emulate_media(media="print")
    assert page("document.documentElement.scrollWidth") <= 1280
    assert not page.page.locator("#undo").is_visible()


@needs_browser
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_it_is_open_to_everybody(open_page, variants, scheme):
    from axe_playwright_python.sync_playwright import Axe

    # The checker runs a script of its own in the page, which the page's own rules would refuse.
    page = open_page(variants, color_scheme=scheme, bypass_csp=True)
    page("earshot.set(s => { s.markers.push(149e6); s.angles.push(40); })")
    found = Axe().run(page.page).response["violations"]
    assert [(v["id"], v["nodes"][0]["html"][:200]) for v in found if v["impact"] in ("serious", "critical")] == []


def luminance(colour):
    parts = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@needs_browser
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_every_word_stands_out_from_what_is_behind_it(open_page, tag_page, scheme):
    """WCAG 2.1, 1.4.3, by the colours that words in drawings have, too."""
    page = open_page(tag_page, color_scheme=scheme)
    names = ["page", "card", "field", "ink", "faint", "good", "warn", "bad", *(f"line-{n}" for n in range(1, 6))]
    style = "getComputedStyle(document.documentElement)"
    colour = {n: page(f"{style}.getPropertyValue('--{n}').trim()") for n in names}
    colour = {n: c if len(c) == 7 else "#" + "".join(2 * x for x in c[1:]) for n, c in colour.items()}

    def contrast(one, two):
        light, dark = sorted((luminance(colour[one]), luminance(colour[two])), reverse=True)
        return (light + 0.05) / (dark + 0.05)

    for word in ("ink", "faint", "good", "warn", "bad"):
        for behind in ("page", "card", "field"):
            assert contrast(word, behind) >= 4.5, (word, behind)
    for curve in [n for n in names if n.startswith("line")]:
        assert contrast(curve, "card") >= 3.0


HOSTILE = [
    "<script>document.title='taken'</script>",
    "</script><img src=x onerror=\"document.title='taken'\">",
    "\"'><svg onload=alert(1)>{{7*7}}${7*7}",
    "شبكة הוד \u202e txet",
    "=cmd|' /C calc'!A0",
    "x" * 200,
]


@needs_browser
@pytest.mark.parametrize("name", HOSTILE)
def test_names_are_only_names(open_page, tmp_path, name):
    rod = es.Wire(name, [(0, 0, -0.08), (0, 0, 0.08)], radius="1 mm")
    other = es.Wire("other", [(0.1, 0, -0.08), (0.1, 0, 0.08)], radius="1 mm")
    ports = [es.Port(name, on=name), es.Port("b", on="other")]
    solution = es.solve(es.Antenna(name, [rod, other], ports), "868 MHz")
    page = open_page(es.report({name: solution, "plain": solution}, tmp_path / "page.html", title=name), (390, 844))
    assert not page.said
    assert not page.outside
    assert page.page.title() != "taken"
    shown = page.page.locator("h1").inner_text()
    assert shown.startswith(name[:4])
    assert "\u202e" not in page("document.body.innerText")
    assert page("document.querySelectorAll('img, main svg[onload]').length") == 0
    assert page("document.documentElement.scrollWidth") <= 390
    if name.startswith("="):
        table = page.page.locator(".chart", has_text="VSWR over frequency")
        saved = page.saved(table.get_by_role("button", name="CSV").click)[1].decode()
        assert "\n=" not in saved


def test_it_says_what_it_was_told_with_its_script_off(tag, tag_page):
    text = tag_page.read_text(encoding="utf-8")
    plain = text[text.index("<noscript>") : text.index("</noscript>")]
    assert "52.83 +0.26j ohm" in plain
    assert "7.31 dBi" in plain
    assert not re.search(r'(?:src|href)="(?!#|data:)', text[: text.index('<script type="application/json"')])
