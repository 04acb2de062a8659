"""Fit the separation network on mixes drawn from a bank of stems; goes on where it stopped.

    python -m training.split.fit RUN_DIR --bank songs voices --watched watched --minutes 90

RUN_DIR keeps the state (state.pt), the best weights on what is only watched (best.pt) and a line for every look (log.jsonl).
"""

from __future__ import annotations

import argparse
import copy
import json
import math
import os
import signal
import time
from pathlib import Path

import numpy as np
import torch
from torch import Tensor

from training.split.mixing import PARTS, Bank, drawn, tones
from training.split.network import BINS, FFT, HOP, PATCH, RATE, TOP, Splitter, pooled
from training.split.restored import restored

SECONDS, BATCH = 4.0, 4
FLOOR, GENTLE, THERE = 3e-3, 0.1, 0.02
FRAMES = round(SECONDS * RATE / HOP) // PATCH * PATCH
LOOK, WATCHED_MIXES, DECAY = 250, 40, 0.998
PACE, WARM = 1.2e-3, 200
KEEP_S = 600  # the state is written at least this often, whether a look is due or not


class Mixes(torch.utils.data.Dataset[tuple[Tensor, Tensor]]):
    """(parts, samples, 2) and (parts, BINS) number by number, each the same whenever it is asked for."""

    def __init__(self, bank: Bank, seed: int, first: int, count: int, toned: bool = True) -> None:
        self.bank, self.seed, self.first, self.count, self.toned = bank, seed, first, count, toned

    def __len__(self) -> int:
        return self.count

    def __getitem__(self, number: int) -> tuple[Tensor, Tensor]:
        rng = np.random.default_rng((self.seed, self.first + number))
        sound = drawn(self.bank, rng, (FRAMES - 1) * HOP)
        tone = tones(rng, BINS) if self.toned else np.ones((len(PARTS), BINS), np.float32)
        return torch.from_numpy(np.ascontiguousarray(sound)), torch.from_numpy(tone)


def spectra(sounds: Tensor, tone: Tensor) -> Tensor:
    """(2, batch, parts, 2, TOP, FRAMES), real and imaginary, of (batch, parts, samples, 2)."""
    batch, parts, _, _ = sounds.shape
    flat = sounds.permute(0, 1, 3, 2).reshape(batch * parts * 2, -1)
    made = torch.stft(flat, FFT, HOP, window=torch.hann_window(FFT), return_complex=True)[:, :TOP]
    made = made.reshape(batch, parts, 2, TOP, -1)
    curve = tone[:, :, None, :TOP, None]
    return torch.stack((made.real * curve, made.imag * curve))


class Told:
    """What is to be known of stems as `spectra` gives them to judge masks: sums over the bins that share one. pressed: with a bus
    compressor on every other mix, which turns all parts down by the same gain, frame by frame."""

    def __init__(self, stems: Tensor, pressed: bool = False) -> None:
        real, imaginary = stems
        mix_r, mix_i = real.sum(dim=1), imaginary.sum(dim=1)
        both = mix_r.square() + mix_i.square()
        apart = (mix_r[:, :1] - mix_r[:, 1:]).square() + (mix_i[:, :1] - mix_i[:, 1:]).square()
        self.power = pooled(torch.cat((both, apart), dim=1))
        self.shared = pooled((mix_r[:, None] * real).addcmul_(mix_i[:, None], imaginary))
        true = real.square().addcmul_(imaginary, imaginary).sum(dim=(2, 3))
        if pressed:
            gain = _gain(self.power[:, :2].sum(dim=(1, 2))).square()
            self.power, self.shared, true = (
                self.power * gain[:, None, None],
                self.shared * gain[:, None, None, None],
                true * gain[:, None],
            )
        self.heard, self.true = self.power[:, None, :2], true.sum(dim=2)
        self.whole = self.heard.sum(dim=(1, 2, 3, 4))[:, None]

    def wrong(self, masks: Tensor) -> Tensor:
        """(batch, parts): the power of what masks make of the mix less what is true, up to network.TOP."""
        return (masks.square() * self.heard - 2 * masks * self.shared).sum(dim=(2, 3, 4)) + self.true

    def loss(self, masks: Tensor) -> Tensor:
        """(batch, parts): dB of what is wrong over what is there. What is as good as silent is weighed against the mix, and gently:
        else a part that is often missing is learnt to be nothing."""
        floor = torch.where(self.true > THERE * self.whole, FLOOR, GENTLE) * self.whole + 1e-9
        return 10 * torch.log10((self.wrong(masks).clamp(min=0) + floor) / (self.true + floor))


def _gain(power: Tensor) -> Tensor:
    """(batch, frames) of what the compressor lets through."""
    level = (power + 1e-9).log()
    kernel = torch.hann_window(15)[None, None] / 7
    smooth = torch.nn.functional.conv1d(torch.nn.functional.pad(level[:, None], (7, 7), mode="replicate"), kernel)[:, 0]
    amount = torch.zeros(len(power), 1)
    amount[::2] = 0.12
    return torch.exp(-amount * (smooth - smooth.amax(dim=1, keepdim=True)).clamp(min=-8))


def watch(net: Splitter, bank: Bank) -> dict[str, float]:
    """Median SDR of each part where it sounds, and how far below the mix it lies where it is silent."""
    told: dict[str, list[float]] = {part: [] for part in PARTS}
    false: list[float] = []
    net.eval()
    with torch.no_grad():
        for sounds, tone in torch.utils.data.DataLoader(Mixes(bank, 4321, 0, WATCHED_MIXES, toned=False), batch_size=4):
            judge = Told(spectra(sounds, tone))
            wrong, true, whole = judge.wrong(net.masks(judge.power)), judge.true, judge.whole[:, 0]
            for b in range(len(sounds)):
                if whole[b] < 1e-6:
                    continue
                for k, part in enumerate(PARTS):
                    if true[b, k] > 1e-3 * whole[b]:
                        told[part].append(float(10 * torch.log10(true[b, k] / wrong[b, k])))
                    elif part == "vocals":
                        false.append(float(10 * torch.log10(wrong[b, k] / whole[b])))
    net.train()
    return {part: float(np.median(told[part])) for part in PARTS} | {"false vocals": float(np.median(false))}


class Run:
    """A fit that goes on where it stopped: the network, its slow mean, how it is moved, and how far it has come."""

    def __init__(self, folder: Path, seed: int, pace: float = PACE, begin: Path | None = None) -> None:
        torch.manual_seed(seed)
        self.folder, self.step, self.best = folder, 0, -math.inf
        self.net = restored(begin) if begin else Splitter()
        self.kept = copy.deepcopy(self.net)
        self.rule = torch.optim.AdamW(self.net.parameters(), lr=pace, weight_decay=0.02, betas=(0.9, 0.98))
        state = folder / "state.pt"
        if state.is_file():
            was = torch.load(state, weights_only=True)
            self.net.load_state_dict(was["net"])
            self.kept.load_state_dict(was["kept"])
            self.rule.load_state_dict(was["rule"])
            self.step, self.best = was["step"], was["best"]

    def learn(self, judge: Told, pace: float) -> float:
        for group in self.rule.param_groups:
            group["lr"] = pace
        wrong = judge.loss(self.net.masks(judge.power)).mean()
        self.rule.zero_grad(set_to_none=True)
        wrong.backward()
        torch.nn.utils.clip_grad_norm_(self.net.parameters(), 1.0)
        self.rule.step()
        self.step += 1
        slow = min(DECAY, (1 + self.step) / (10 + self.step))
        with torch.no_grad():
            for a, b in zip(self.kept.parameters(), self.net.parameters(), strict=True):
                a.lerp_(b, 1 - slow)
        return float(wrong.detach())

    def keep(self, seen: dict[str, float]) -> None:
        total = sum(seen[part] for part in PARTS)
        if total > self.best:
            self.best = total
            torch.save(self.kept.state_dict(), self.folder / "best.pt")
        self.write()

    def write(self) -> None:
        part = self.folder / f"state.{os.getpid()}"
        kept = {"net": self.net.state_dict(), "kept": self.kept.state_dict(), "rule": self.rule.state_dict()}
        torch.save(kept | {"step": self.step, "best": self.best}, part)
        part.rename(self.folder / "state.pt")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("run", type=Path)
    parser.add_argument("--bank", type=Path, nargs="+", required=True)
    parser.add_argument("--watched", type=Path, nargs="+", required=True)
    parser.add_argument("--minutes", type=float, default=90)
    parser.add_argument("--steps", type=int, default=20000, help="length of the whole fit, all runs together")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--pace", type=float, default=PACE)
    parser.add_argument("--workers", type=int, default=1, help="processes that draw mixes; 0: the one that fits draws them")
    parser.add_argument("--begin", type=Path, help="an exported network from whose weights a new run begins")
    asked = parser.parse_args()
    asked.run.mkdir(parents=True, exist_ok=True)
    run = Run(asked.run, asked.seed, asked.pace, asked.begin)
    print(sum(p.numel() for p in run.net.parameters()), "weights, from step", run.step, flush=True)
    began, until = time.monotonic(), time.monotonic() + asked.minutes * 60
    watched = Bank.of(*asked.watched)
    signal.signal(signal.SIGTERM, _ended)
    if run.step == 0 and asked.begin:
        _look(run, watched, began, [])
    try:
        _learn(run, watched, asked, began, until)
    except _Ended:
        run.write()
        print("ended at step", run.step, flush=True)


class _Ended(BaseException):
    pass


def _ended(*_: object) -> None:
    raise _Ended


def _learn(run: Run, watched: Bank, asked: argparse.Namespace, began: float, until: float) -> None:
    written = time.monotonic()
    while run.step < asked.steps and time.monotonic() < until:
        # The bank is listed anew at every round: songs may still be in the making.
        mixes = Mixes(Bank.of(*asked.bank), asked.seed, run.step * BATCH, LOOK * BATCH)
        lost = []
        ahead = 4 if asked.workers else None
        for sounds, tone in torch.utils.data.DataLoader(mixes, batch_size=BATCH, num_workers=asked.workers, prefetch_factor=ahead):
            way = min(1, run.step / asked.steps)
            pace = asked.pace * min(1, (run.step + 1) / WARM) * 0.5 * (1 + math.cos(math.pi * way))
            lost.append(run.learn(Told(spectra(sounds, tone), pressed=True), pace))
            if time.monotonic() - written > KEEP_S:
                run.write()
                written = time.monotonic()
        _look(run, watched, began, lost)


def _look(run: Run, watched: Bank, began: float, lost: list[float]) -> None:
    """What is watched, as a line of the log; the best weights so far are kept."""
    seen = watch(run.kept, watched)
    line: dict[str, float] = {"step": run.step, "seconds": round(time.monotonic() - began)}
    line |= {"loss": round(float(np.mean(lost)), 3)} if lost else {}
    line |= {name: round(value, 2) for name, value in seen.items()}
    print(json.dumps(line), flush=True)
    with (run.folder / "log.jsonl").open("a") as log:
        log.write(json.dumps(line) + "\n")
    run.keep(seen)


if __name__ == "__main__":
    main()
