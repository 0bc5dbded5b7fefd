"""The equations of a circuit: sums of currents at its nodes and the laws of its branches, with their slopes.

Modified nodal analysis (Ho, Ruehli, Brennan 1975): the unknowns are the voltages of the nodes and the currents of the
branches. All is written ``F(x) + d(Q x)/dt = 0`` with a constant ``Q``; how it is solved is decided elsewhere.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import splu

from vane_step.core.solve.circuit import Branch, Circuit, Governed
from vane_step.core.solve.devices import Array, Bipolars, Diodes, Fets, Places

# Up to as many unknowns a full matrix is solved faster than a sparse one (measured on this code: docs/power.md).
DENSE_MOST: Final = 220


@dataclass
class Loaded:
    """The equations at one guess: residuals, slopes beside the constant ones as triplets, junction voltages used."""

    residual: Array
    rows: Places
    columns: Places
    slopes: Array
    last: list[Array]
    held: bool


class System:
    """The equations of one circuit.

    Parameters
    ----------
    circuit
        What is solved. Its elements must not change afterwards, save for the values of its latches.
    """

    def __init__(self, circuit: Circuit) -> None:
        self.circuit = circuit
        self.node_of = np.array(circuit.terminals, dtype=np.int64)
        self.nodes = circuit.nodes
        self.size = circuit.nodes + len(circuit.branches)
        self.groups = [
            kind(circuit)
            for kind, has in ((Diodes, circuit.diodes), (Bipolars, circuit.bipolars), (Fets, circuit.fets))
            if has
        ]
        self._places = [self.node_of[g.terminals] for g in self.groups]
        self._group_rows = [np.repeat(p[:, None, :], len(p), 1).ravel() for p in self._places]
        self._group_columns = [np.repeat(p[None, :, :], len(p), 0).ravel() for p in self._places]
        self.governed = [(k, b) for k, b in enumerate(circuit.branches) if isinstance(b, Governed)]
        self._reads = [np.array([self.place(r) for r in b.reads], dtype=np.int64) for _, b in self.governed]
        self.most_v = max((abs(b.volts) for b in circuit.branches if isinstance(b, Branch)), default=0.0)
        self.most_v = max(
            self.most_v, max((getattr(b.law, "held_v", 0.0) for _, b in self.governed), default=0.0)
        )
        # Outputs that hold back are not let run far beyond it while a solution is looked for.
        self.most_a = np.full(len(circuit.branches), np.inf)
        for k, branch in self.governed:
            self.most_a[k] = 2 * getattr(branch.law, "most_a", np.inf)
        self._linear()

    def place(self, read: int) -> int:
        """Give the unknown a law reads: a terminal's node, or a branch written ``~number``."""
        return int(self.node_of[read]) if read >= 0 else self.nodes + ~read

    def _linear(self) -> None:
        circuit, at = self.circuit, self.node_of
        rows: list[int] = []
        columns: list[int] = []
        values: list[float] = []
        q: list[tuple[int, int, float]] = []
        steady = np.zeros(self.size)

        def put(r: int, c: int, v: float) -> None:
            rows.append(r)
            columns.append(c)
            values.append(v)

        for a, b, g in circuit.resistors:
            p, m = int(at[a]), int(at[b])
            put(p, p, g)
            put(m, m, g)
            put(p, m, -g)
            put(m, p, -g)
        for a, b, amps in circuit.currents:
            steady[at[a]] += amps
            steady[at[b]] -= amps
        for a, b, farad in circuit.capacitors:
            p, m = int(at[a]), int(at[b])
            q += [(p, p, farad), (m, m, farad), (p, m, -farad), (m, p, -farad)]
        self.waves: list[tuple[int, Branch]] = []
        for k, branch in enumerate(circuit.branches):
            row, p, m = self.nodes + k, int(at[branch.plus]), int(at[branch.minus])
            put(p, row, 1.0)
            put(m, row, -1.0)
            if isinstance(branch, Governed):
                if branch.tau_s:
                    q += [(row, p, branch.tau_s), (row, m, -branch.tau_s)]
                continue
            put(row, p, 1.0)
            put(row, m, -1.0)
            put(row, row, -branch.ohm)
            steady[row] -= branch.volts
            if branch.henry:
                q.append((row, row, -branch.henry))
            if branch.wave is not None:
                self.waves.append((row, branch))
        for a, b, k, gain in circuit.copies:
            put(int(at[a]), self.nodes + k, gain)
            put(int(at[b]), self.nodes + k, -gain)
        self.rows, self.columns = np.array(rows, dtype=np.int64), np.array(columns, dtype=np.int64)
        self.values, self.steady = np.array(values, dtype=float), steady
        of_q = np.array([(r, c) for r, c, _ in q], dtype=np.int64).reshape(-1, 2)
        held = np.array([v for *_, v in q], dtype=float)
        self.stores = np.zeros(self.size, dtype=bool)
        self.stores[of_q[:, 0]] = True
        self.dense = self.size <= DENSE_MOST
        if self.dense:
            self.constant_full = self._full(self.rows, self.columns, self.values)
            self.storing_full = self._full(of_q[:, 0], of_q[:, 1], held)
            return
        shape = (self.size, self.size)
        self.constant = csc_matrix((self.values, (self.rows, self.columns)), shape=shape)
        self.storing = csc_matrix((held, (of_q[:, 0], of_q[:, 1])), shape=shape)

    def _full(self, rows: Places, columns: Places, values: Array) -> Array:
        found = np.bincount(rows * self.size + columns, weights=values, minlength=self.size**2)
        full: Array = found.astype(float).reshape(self.size, self.size)
        return full

    def hold(self, volts: dict[int, float]) -> None:
        """Give sources other voltages, by their branches."""
        for k, v in volts.items():
            self.steady[self.nodes + k] = -v
        self.most_v = max([self.most_v, *(abs(v) for v in volts.values())])

    def begin(self) -> tuple[Array, list[Array]]:
        """Give the guess iteration starts from without any better one."""
        return np.zeros(self.size), [g.begin() for g in self.groups]

    def junctions(self, x: Array) -> list[Array]:
        """Give the voltages of all junctions as they are at some unknowns."""
        return [group.across(x[places]) for group, places in zip(self.groups, self._places, strict=True)]

    def load(
        self,
        x: Array,
        last: list[Array],
        ease: float = 1.0,
        strength: float = 1.0,
        time_s: float | None = None,
    ) -> Loaded:
        """Give the equations at a guess.

        Parameters
        ----------
        x
            Voltages of the nodes, ground first, and currents of the branches.
        last
            Voltages of the junctions at the guess before.
        ease
            How much laws are meant as they stand, 0 to 1.
        strength
            Share of all sources that is on.
        time_s
            Sources that follow time are asked for their voltage at it.
        """
        linear = self.constant_full if self.dense else self.constant
        steady = self.steady
        if time_s is not None and self.waves:
            steady = steady.copy()
            for row, branch in self.waves:
                assert branch.wave is not None
                steady[row] = -branch.wave(time_s)
        f = linear @ x + steady * strength
        rows, columns, slopes, used, held = [], [], [], [], False
        for group, places, r, c, before in zip(
            self.groups, self._places, self._group_rows, self._group_columns, last, strict=True
        ):
            amps, jac, at, limits = group.load(x[places], before)
            f += np.bincount(places.ravel(), weights=amps.ravel(), minlength=self.size)
            rows.append(r)
            columns.append(c)
            slopes.append(jac.ravel())
            used.append(at)
            held = held or limits
        if self.governed:
            r2: list[int] = []
            v2: list[float] = []
            for (k, ruled), reads in zip(self.governed, self._reads, strict=True):
                row = self.nodes + k
                value, by_reads, by_amps = ruled.law(x[reads].tolist(), float(x[row]), ease)
                f[row] += value
                r2 += [row] * (len(reads) + 1)
                v2 += [*by_reads, by_amps]
            rows.append(np.array(r2, dtype=np.int64))
            columns.append(self._law_columns)
            slopes.append(np.array(v2, dtype=float))
        none = np.zeros(0, dtype=np.int64)
        return Loaded(
            f,
            np.concatenate(rows) if rows else none,
            np.concatenate(columns) if columns else none,
            np.concatenate(slopes) if slopes else np.zeros(0),
            used,
            held,
        )

    @property
    def _law_columns(self) -> Places:
        found: Any = getattr(self, "_law_columns_kept", None)
        if found is None:
            found = np.concatenate(
                [
                    np.append(reads, self.nodes + k)
                    for (k, _), reads in zip(self.governed, self._reads, strict=True)
                ]
            )
            self._law_columns_kept = found
        return found  # type: ignore[no-any-return]

    def jacobian(self, loaded: Loaded, storing: float = 0.0, diagonal: Array | None = None) -> Any:
        """Give the matrix of slopes without ground, ``storing`` times ``Q`` and a diagonal added to it."""
        if self.dense:
            full = self.constant_full + storing * self.storing_full if storing else self.constant_full.copy()
            flat = loaded.rows * self.size + loaded.columns
            full += np.bincount(flat, weights=loaded.slopes, minlength=self.size**2).reshape(full.shape)
            if diagonal is not None:
                full[np.diag_indices(self.size)] += diagonal
            return full[1:, 1:]
        more = csc_matrix((loaded.slopes, (loaded.rows, loaded.columns)), shape=self.constant.shape)
        whole = self.constant + more + (storing * self.storing if storing else 0)
        if diagonal is not None:
            whole = whole + csc_matrix((diagonal, (range(self.size), range(self.size))), shape=whole.shape)
        return whole.tocsc()[1:, 1:]

    def step(self, matrix: Any, residual: Array) -> Array | None:
        """Give what is to be added to the unknowns, ground's with it; none where the matrix is singular."""
        found = np.zeros(self.size)
        try:
            if self.dense:
                found[1:] = np.linalg.solve(matrix, -residual[1:])
            else:
                found[1:] = splu(matrix).solve(-residual[1:])
        except (np.linalg.LinAlgError, RuntimeError):
            return None
        return found if np.isfinite(found).all() else None

    def terminal_amps(self, x: Array, last: list[Array], storing: Array | None = None) -> tuple[Array, float]:
        """Give the current that flows out of each terminal into the elements on it, and the largest of any element.

        ``storing`` is the rate at which the unknowns change, for what capacitors take.
        """
        circuit = self.circuit
        v, amps, largest = x[self.node_of], np.zeros(len(self.node_of)), 0.0
        flows: list[tuple[Places, Places, Array]] = []

        def columns(rows: list[tuple[Any, ...]]) -> tuple[Array, Places, Places]:
            table = np.array(rows, dtype=float)
            return table, table[:, 0].astype(np.int64), table[:, 1].astype(np.int64)

        if circuit.resistors:
            table, a, b = columns(list(circuit.resistors))
            flows.append((a, b, table[:, 2] * (v[a] - v[b])))
        if circuit.currents:
            table, a, b = columns(list(circuit.currents))
            flows.append((a, b, table[:, 2]))
        if circuit.branches:
            ends = np.array([(k.plus, k.minus) for k in circuit.branches], dtype=np.int64)
            flows.append((ends[:, 0], ends[:, 1], x[self.nodes :]))
        if circuit.copies:
            table, a, b = columns(list(circuit.copies))
            flows.append((a, b, table[:, 3] * x[self.nodes + table[:, 2].astype(np.int64)]))
        if storing is not None and circuit.capacitors:
            table, a, b = columns(list(circuit.capacitors))
            rate = storing[self.node_of]
            flows.append((a, b, table[:, 2] * (rate[a] - rate[b])))
        for a, b, through in flows:
            self._flow(amps, a, b, through)
            largest = max(largest, float(np.abs(through).max(initial=0.0)))
        for group, places, before in zip(self.groups, self._places, last, strict=True):
            into, *_ = group.load(x[places], before)
            np.add.at(amps, group.terminals.ravel(), into.ravel())
            largest = max(largest, float(np.abs(into).max(initial=0.0)))
        return amps, largest

    @staticmethod
    def _flow(amps: Array, a: Places, b: Places, through: Array) -> None:
        np.add.at(amps, a, through)
        np.subtract.at(amps, b, through)

    def latch_changes(self, x: Array) -> list[tuple[Any, float]]:
        """Give the latches whose state would be another at these unknowns, with it."""
        changed = []
        for latch in self.circuit.latches:
            reads = [float(x[self.place(r)]) for r in latch.reads]
            value = latch.update(reads, latch.value)
            if value != latch.value:
                changed.append((latch, value))
        return changed
