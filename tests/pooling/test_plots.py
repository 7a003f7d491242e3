"""Every plot: its labels have units, no text lies on another or leaves the page, what is drawn is in its DataFrame."""

import itertools

import numpy as np
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

import cordtally as ct
from cordtally.demo.tour import HARBOUR
from cordtally.errors import FieldError
from cordtally.pooling import PoolLoad
from cordtally.pooling.budgeting import make_budget, read_services
from cordtally.pooling.budgeting.plot import draw_budget
from cordtally.pooling.fitting import fit_pool
from cordtally.pooling.fitting.plot import draw_scalability, draw_trace, law_frame, save_fit
from cordtally.pooling.plotting import save_figure
from cordtally.pooling.simulation.plot import draw_line, draw_waits
from cordtally.pooling.simulation.replay import replay
from cordtally.pooling.simulation.scenario_file import make_scenario
from cordtally.pooling.sizing.plot import draw_sizes, plot_frame

SCENARIO = {
    "load": {"arrivals": "100/s", "hold": "40ms", "duration": "60s", "bursts": [{"at": "20s", "lasts": "5s", "factor": 2.0}]},
    "pool": {"max_size": 6, "acquire_timeout": "200ms"},
    "restarts": [{"at": "26s", "lasts": "2s"}],
    "deploy": {"at": ["40s"], "boot_time": "1s"},
    "server": {"limit": 20},
}


@pytest.fixture(scope="module")
def replayed():
    return replay(make_scenario(SCENARIO), replications=3, what_if={"max_size": ["5", "6"]})


def figures(replayed):
    sizes = [ct.size_pool(PoolLoad(arrivals=480, hold=0.035, instances=4), "5ms@p99"), ct.size_pool(PoolLoad(arrivals=480, hold=0.035, instances=4, acquire_timeout=0.25), "0.1%")]
    law, trace = fit_pool(HARBOUR / "pools/gauge-throughput.csv"), fit_pool(HARBOUR / "pools/gauge-trace.csv")
    budget = make_budget(*read_services(HARBOUR / "pools/gauge-server.toml"))
    yield from ((f"size {k}", lambda figure, s=s: draw_sizes(s, figure)) for k, s in enumerate(sizes))
    yield "line", lambda figure: draw_line(replayed.cases[1], figure)
    yield "waits", lambda figure: draw_waits(replayed, figure.add_subplot())
    yield "law", lambda figure: draw_scalability(law.scalability, law.points, figure.add_subplot())
    yield "trace", lambda figure: draw_trace(trace, figure)
    yield "budget", lambda figure: draw_budget(budget, figure.add_subplot())


def texts(figure, renderer):
    """All texts that can be seen: titles, labels, ticks, legends and notes, with the places that they fill."""
    found = []
    for axes in figure.axes:
        within = axes.get_window_extent(renderer)
        across = [(text, box.x0 + box.width / 2, within.x0, within.x1) for text in axes.get_xticklabels() for box in [text.get_window_extent(renderer)]]
        up = [(text, box.y0 + box.height / 2, within.y0, within.y1) for text in axes.get_yticklabels() for box in [text.get_window_extent(renderer)]]
        ticks = [text for text, middle, low, high in [*across, *up] if low - 3 <= middle <= high + 3]
        for text in [*axes.texts, axes.title, axes.xaxis.label, axes.yaxis.label, *ticks]:
            if text.get_visible() and text.get_text().strip():
                found.append((text.get_text(), text.get_window_extent(renderer)))
        legend = axes.get_legend()
        if legend is not None:
            found += [(text.get_text(), text.get_window_extent(renderer)) for text in legend.get_texts()]
    return found


def test_no_text_on_another(replayed):
    for name, draw in figures(replayed):
        figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained")
        canvas = FigureCanvasAgg(figure)
        draw(figure)
        canvas.draw()
        shown = texts(figure, canvas.get_renderer())
        for (one, first), (other, second) in itertools.combinations(shown, 2):
            apart = first.x1 <= second.x0 + 1 or second.x1 <= first.x0 + 1 or first.y1 <= second.y0 + 2 or second.y1 <= first.y0 + 2
            assert apart, f"{name}: {one!r} lies on {other!r}"
        for text, box in shown:
            assert box.x0 >= -1, (name, text)
            assert box.x1 <= 1281, (name, text)
        for axes in figure.axes:
            assert axes.get_ylabel() or name == "budget", name
        assert figure.axes[-1].get_xlabel(), name


def test_what_is_drawn_is_in_a_frame(replayed):
    sizing = ct.size_pool(PoolLoad(arrivals=480, hold=0.035, instances=4), "5ms@p99")
    figure = Figure()
    draw_sizes(sizing, figure)
    drawn = figure.axes[0].get_lines()[0].get_ydata()
    assert np.allclose(drawn, np.maximum(plot_frame(sizing)["p99"], 1e-6))
    assert any(f"{sizing.recommended} per instance" in text.get_text() for text in figure.axes[0].texts)
    case = replayed.cases[0]
    line, waits = case.line_frame(), case.wait_frame()
    assert list(line.columns) == ["time", "in_use", "idle", "waiting", "connecting", "open_at_server", "refused", "timed_out", "broken", "leaked"]
    assert (line["in_use"] + line["idle"] <= 12).all()
    assert waits["wait"].is_monotonic_increasing
    law = fit_pool(HARBOUR / "pools/gauge-throughput.csv").scalability
    assert list(law_frame(law, 3)["concurrency"]) == [1, 2, 3]
    assert {"case", "figure", "mean", "low", "high"} == set(replayed.to_frame().columns)


def test_files(tmp_path):
    fit = fit_pool(HARBOUR / "pools/gauge-throughput.csv")
    assert save_fit(fit, tmp_path / "law.png").read_bytes().startswith(b"\x89PNG")
    assert b"<svg" in save_fit(fit, tmp_path / "law.svg").read_bytes()
    with pytest.raises(FieldError, match="written as"):
        save_figure(lambda figure: None, tmp_path / "law.gif")
