package files

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
)

// What is coarser than it was worked out is rounded together. Each person's cells come to the person's rounded
// total, by the largest remainder; then cells are swapped within people, as far as that leads to it, until those
// of each pay code come to the code's rounded total too. Both at once isn't possible in every table: three people
// with 0.6 hours of one code are each written as one hour, and the code's rounded total is two.

// round rounds the cells of a layout's rows.
func (l Layout) round(rows []layoutRow, decimals int, report *LayoutReport) [][]int64 {
	cells := make([][]int64, len(rows))
	for i := range rows {
		cells[i] = slices.Clone(rows[i].values)
	}
	for c, column := range l.Columns {
		step := l.step(column, decimals)
		seconds, money := column.added()
		if step <= 1 || !seconds && !money {
			continue
		}
		people := l.groups(rows)
		for _, p := range people {
			roundTogether(rows, cells, c, p, step)
		}
		if l.Rows == "person_code" || l.Rows == "line" {
			off := l.balance(rows, cells, c, people, step)
			for _, code := range slices.Sorted(maps.Keys(off)) {
				report.Off = append(report.Off, fmt.Sprintf("%s of %s by %s", l.Columns[c].Name, code, l.number(c, off[code])))
			}
		}
		for i, r := range rows {
			if v := r.values[c]; cells[i][c] != nearestStep(v, step) {
				report.Moved = append(report.Moved,
					fmt.Sprintf("%s %s, %s: %s is written as %s, so that the column comes to its rounded total",
						r.first.Given, r.first.Family, l.Columns[c].Name, l.exact(c, v), l.number(c, cells[i][c])))
			}
		}
	}
	return cells
}

// span is rows[from:to].
type span struct{ from, to int }

// groups gives the rows that are rounded together: those of each person, or all where each person has one.
func (l Layout) groups(rows []layoutRow) (groups []span) {
	if l.Rows == "person" {
		return []span{{0, len(rows)}}
	}
	for from := 0; from < len(rows); {
		to := from + 1
		for to < len(rows) && rows[to].first.Number == rows[from].first.Number && rows[to].first.Family == rows[from].first.Family &&
			rows[to].first.Given == rows[from].first.Given {
			to++
		}
		groups = append(groups, span{from, to})
		from = to
	}
	return groups
}

// roundTogether rounds one column of some rows so that it comes to its rounded total, by the largest remainder.
func roundTogether(rows []layoutRow, cells [][]int64, c int, of span, step int64) {
	var total int64
	for _, r := range rows[of.from:of.to] {
		total += r.values[c]
	}
	left := nearestStep(total, step)
	type rest struct {
		at   int
		lost int64
	}
	var rests []rest
	for i := of.from; i < of.to; i++ {
		down := floorStep(rows[i].values[c], step)
		cells[i][c] = down
		left -= down
		rests = append(rests, rest{i, rows[i].values[c] - down})
	}
	slices.SortStableFunc(rests, func(a, b rest) int { return cmp.Compare(b.lost, a.lost) })
	for n := 0; left >= step && n < len(rests); n++ {
		cells[rests[n].at][c] += step
		left -= step
	}
}

// swap is that one row of somebody is rounded down instead of up, and another up instead of down.
type swap struct {
	down, up int
	cost     int64 // by how much more the two are off
}

// balance swaps cells within people until each pay code comes to its rounded total, where that is possible, and
// gives by how much the others are off. It looks for the shortest chain of swaps from a code with too much to one
// with too little, as long as there is one: no other choice of cells would leave less.
func (l Layout) balance(rows []layoutRow, cells [][]int64, c int, people []span, step int64) map[string]int64 {
	exact, off := map[string]int64{}, map[string]int64{}
	for i, r := range rows {
		exact[l.code(r.first.PayCode)] += r.values[c]
		off[l.code(r.first.PayCode)] += cells[i][c]
	}
	for code, v := range exact {
		if off[code] -= nearestStep(v, step); off[code] == 0 {
			delete(off, code)
		}
	}
	for {
		chain := shortest(l.swaps(rows, cells, c, people, step), off)
		if chain == nil {
			return off
		}
		for _, s := range chain {
			cells[s.down][c] -= step
			cells[s.up][c] += step
		}
		first, last := l.code(rows[chain[0].down].first.PayCode), l.code(rows[chain[len(chain)-1].up].first.PayCode)
		off[first] -= step
		off[last] += step
		maps.DeleteFunc(off, func(_ string, by int64) bool { return by == 0 })
	}
}

// swaps finds for each two pay codes the cheapest swap that takes a step from the one and gives it to the other.
func (l Layout) swaps(rows []layoutRow, cells [][]int64, c int, people []span, step int64) map[string]map[string]swap {
	found := map[string]map[string]swap{}
	for _, p := range people {
		for i := p.from; i < p.to; i++ {
			if cells[i][c]-step < floorStep(rows[i].values[c], step) || rows[i].values[c]%step == 0 {
				continue // it's rounded down, or not at all
			}
			from := l.code(rows[i].first.PayCode)
			for j := p.from; j < p.to; j++ {
				to := l.code(rows[j].first.PayCode)
				if to == from || rows[j].values[c]%step == 0 || cells[j][c] > rows[j].values[c] {
					continue
				}
				s := swap{down: i, up: j, cost: (rows[i].values[c] - cells[i][c]) - (rows[j].values[c] - cells[j][c])}
				if at, is := found[from][to]; !is || s.cost < at.cost {
					if found[from] == nil {
						found[from] = map[string]swap{}
					}
					found[from][to] = s
				}
			}
		}
	}
	return found
}

// shortest gives the shortest chain of swaps from a pay code with too much to one with too little, nil for none.
func shortest(by map[string]map[string]swap, off map[string]int64) []swap {
	reached := map[string][]swap{}
	var next []string
	for _, code := range slices.Sorted(maps.Keys(off)) {
		if off[code] > 0 {
			reached[code] = []swap{}
			next = append(next, code)
		}
	}
	for len(next) > 0 {
		from := next[0]
		next = next[1:]
		for _, to := range slices.Sorted(maps.Keys(by[from])) {
			if _, been := reached[to]; been {
				continue
			}
			chain := append(slices.Clone(reached[from]), by[from][to])
			if off[to] < 0 {
				return chain
			}
			reached[to] = chain
			next = append(next, to)
		}
	}
	return nil
}

func floorStep(v, step int64) int64 {
	n := v / step
	if v%step < 0 {
		n--
	}
	return n * step
}

func nearestStep(v, step int64) int64 {
	if v < 0 {
		return -nearestStep(-v, step)
	}
	return (v + step/2) / step * step
}
