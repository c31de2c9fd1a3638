"""A weight stack drawn into noise, rising and resting by a known programme."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from deepmirror.pose.stack import follow_stack

HEIGHT, WIDTH, AT = 720, 400, (200.0, 560.0)


def pictures(rise: np.ndarray, hidden: range = range(0)) -> Iterator[np.ndarray]:
    rng = np.random.default_rng(5)
    room = rng.integers(60, 120, (HEIGHT, WIDTH)).astype(np.uint8)
    plates = np.kron(rng.integers(20, 235, (12, 20)), np.ones((6, 6))).astype(np.uint8)  # 72 x 120, like the fronts of plates
    for number, r in enumerate(rise):
        picture = room.copy()
        top = round(AT[1] - 36 - r)
        picture[top : top + 72, 140:260] = plates
        if number in hidden:
            picture[380:640, 120:280] = 90
        noisy = picture.astype(float) + rng.normal(0, 3, picture.shape)
        yield np.clip(noisy, 0, 255).astype(np.uint8)


def test_the_stack_is_followed_up_and_down_and_missed_where_it_is_hidden() -> None:
    rise = np.concatenate([np.zeros(5), 140 * np.sin(np.linspace(0, np.pi, 40)) ** 2, np.zeros(5)])
    seen = follow_stack(pictures(rise, hidden=range(20, 26)), AT)
    assert seen.shape == rise.shape
    clear = [i for i in range(len(rise)) if i not in range(20, 26)]
    assert np.abs(seen[clear] - np.round(rise[clear])).max() < 0.6
    assert np.isnan(seen[20:26]).all()


def test_a_click_on_a_plain_wall_follows_nothing() -> None:
    plain = (np.full((HEIGHT, WIDTH), 120, np.uint8) for _ in range(3))
    assert follow_stack(plain, AT).size == 0
