"""A constant power on one piece, without Peukert's law: the commonest span of all, gone through in one step."""

from __future__ import annotations

from math import log, sqrt

from hermotrope_core.circuit.piece import HALLEY_CLOSE, ModeLaw, Passed, Piece, Span
from hermotrope_core.circuit.steady import SURELY


class PowerSpan(Span):
    """The sums of `Span` for E = D + R I + P / I, written out: runs of many turns spend their time here."""

    __slots__ = ()

    @staticmethod
    def fits(law: ModeLaw, piece: Piece, stop: float) -> bool:
        """Whether it can stand for the `Span` of a law on a piece: a power that can be fed all along."""
        if not law.p or not law.lin or law.q:
            return False
        volts = piece.emf0 + piece.slope * (max(piece.low, stop) - piece.soc0) - law.drop
        return volts > 0.0 and volts * volts * SURELY > 4.0 * law.lin * law.p

    def through(self, soc: float, left: float) -> Passed:
        """As `Span.through`."""
        if self.flat:
            return super().through(soc, left)
        law, piece, last = self.law, self.piece, self.last
        lin, p, drop = law.lin, law.p, law.drop
        emf = piece.emf0 + piece.slope * (soc - piece.soc0)
        volts = emf - drop
        amps = 2.0 * p / (volts + sqrt(volts * volts - 4.0 * lin * p))
        clock = lin * log(amps) + 0.5 * p / (amps * amps)
        seconds = self.scale * (clock - last.clock)
        if seconds < left:
            after, emf_after = last.soc, last.emf
        else:
            seconds, miss, end, guess = left, left / self.scale, last.amps, amps
            target = clock - miss
            for _ in range(60):
                square = guess * guess
                per = p / square
                rise = (lin - per) / guess
                slope = rise - 0.5 * miss * (3.0 * per - lin) / (square * rise)
                better = guess - miss / slope if slope else end
                if (better - amps) * (better - end) > 0.0:  # outside the span: halve towards its end
                    better = 0.5 * (guess + end)
                if abs(better - guess) < HALLEY_CLOSE * guess:
                    break
                guess = better
                miss = lin * log(guess) + 0.5 * p / (guess * guess) - target
            emf_after = drop + lin * better + p / better
            after = piece.soc0 + (emf_after - piece.emf0) / piece.slope
            if not last.soc <= after <= soc:
                after = min(soc, max(last.soc, after))
        coulombs, mean = law.q3600 * (soc - after), 0.5 * (emf + emf_after)
        source = mean * coulombs - law.ohm_source * ((mean - drop) * coulombs - p * seconds) / lin
        device = p * seconds + law.own_drop * coulombs if law.device_w is None else law.device_w * seconds
        return seconds, after, source * law.share, device * law.share, coulombs * law.share
