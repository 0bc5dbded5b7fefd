"""Nodes that nothing holds at a steady voltage: groups without a path for direct current to ground."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from vane_step.core.solve.circuit import Circuit


def floating(circuit: Circuit) -> list[list[int]]:
    """Give the groups of nodes that no element ties to ground for direct current: their own ground first, if any.

    Resistors, junctions, channels and branches tie (a load of a steady current is a branch that takes nothing at 0 V);
    capacitors, current sources and the gates of field-effect transistors do not.
    """
    at = circuit.terminals
    pairs: list[tuple[int, int]] = [(at[a], at[b]) for a, b, _ in circuit.resistors]
    pairs += [(at[b.plus], at[b.minus]) for b in circuit.branches]
    pairs += [(at[a], at[k]) for a, k, *_ in circuit.diodes]
    for c, b, e, *_ in circuit.bipolars:
        pairs += [(at[c], at[e]), (at[b], at[e])]
    pairs += [(at[d], at[s]) for d, _, s, *_ in circuit.fets]
    ends = np.array(pairs, dtype=np.int64).reshape(-1, 2)
    graph = coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(circuit.nodes,) * 2)
    _, labels = connected_components(graph, directed=False)
    groups: dict[int, list[int]] = {}
    for node, label in enumerate(labels):
        if label != labels[0]:
            groups.setdefault(int(label), []).append(node)
    return [sorted(g, key=lambda node: (node not in circuit.grounds, node)) for g in groups.values()]
