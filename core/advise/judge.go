package advise

import (
	"slices"
	"sync"

	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// hash hashes the records' keys of some parts, of both sides. Those of the parts but for the last one have been hashed before.
func (a *adviser) hash(parts []Pair) {
	last := len(parts) - 1
	var both sync.WaitGroup
	for _, s := range tray.Sides {
		both.Go(func() {
			values := a.columns[s][parts[last].Columns[s]].hashes
			into := &a.hashed[last][s]
			*into = slices.Grow((*into)[:0], len(values))[:len(values)]
			if last == 0 {
				for row, h := range values {
					(*into)[row] = mix(h)
				}
				return
			}
			for row, h := range a.hashed[last-1][s] {
				switch {
				case h == 0 || values[row] == 0:
					(*into)[row] = 0
				default:
					(*into)[row] = max(mix(h^values[row]), 1)
				}
			}
		})
	}
	both.Wait()
}

// judge counts what a key pairs, and gives it its score; its parts have been hashed. sample, above 0, is about how many different keys are looked at.
func (a *adviser) judge(k *Key, sample int) {
	var sides [2][]entry
	largest := int(max(a.out.Looked[0], a.out.Looked[1]))
	keep := ^uint64(0)
	if sample > 0 && largest > sample {
		keep = keep / uint64(largest) * uint64(sample)
	}
	var both sync.WaitGroup
	for _, s := range tray.Sides {
		both.Go(func() { sides[s], k.Unkeyed[s] = a.entries(k, s, keep) })
	}
	both.Wait()
	var paired [][2]int // a record of each side that has one key
	for i, j := 0, 0; i < len(sides[0]) || j < len(sides[1]); {
		var hash uint64
		switch {
		case j == len(sides[1]) || i < len(sides[0]) && sides[0][i].hash < sides[1][j].hash:
			hash = sides[0][i].hash
		default:
			hash = sides[1][j].hash
		}
		first := [2]int{i, j}
		for i < len(sides[0]) && sides[0][i].hash == hash {
			i++
		}
		for j < len(sides[1]) && sides[1][j].hash == hash {
			j++
		}
		n := [2]int64{int64(i - first[0]), int64(j - first[1])}
		for s := range n {
			if n[s] > 0 {
				k.Distinct[s]++
			}
			if n[s] > 1 {
				k.Repeated[s]++
			}
			if n[0] > 0 && n[1] > 0 {
				k.Partner[s] += n[s]
				k.Most[s] = max(k.Most[s], n[s])
			}
		}
		if n[0] > 0 && n[1] > 0 {
			k.Shared++
			k.Product += n[0] * n[1]
			paired = append(paired, [2]int{sides[0][first[0]].row, sides[1][first[1]].row})
		}
	}
	a.corroborate(k, paired)
	k.score = a.score(k)
}

// entries are the records of a side whose key has a hash up to keep, in the order of the hashes, and how many have no key.
func (a *adviser) entries(k *Key, s tray.Side, keep uint64) (list []entry, unkeyed int64) {
	hashes := a.hashed[len(k.Parts)-1][s]
	if keep == ^uint64(0) {
		list = make([]entry, 0, len(hashes))
	}
	for row, hash := range hashes {
		switch {
		case hash == 0:
			unkeyed++
		case hash <= keep:
			list = append(list, entry{hash, row})
		}
	}
	return sortEntries(list, keep), unkeyed
}

// corroborated is how many pairs of records a key is judged by.
const corroborated = 4000

// corroborate finds out how much more often than by chance paired records agree in columns that are not in the key. Chance is
// seen by pairing each left record with the partner of another one.
func (a *adviser) corroborate(k *Key, paired [][2]int) {
	k.Agree = -1
	if len(paired) < 8 {
		return
	}
	if step := len(paired) / corroborated; step > 1 {
		var some [][2]int
		for i := 0; i < len(paired); i += step {
			some = append(some, paired[i])
		}
		paired = some
	}
	var lifts []float64
	for _, p := range a.out.Pairs {
		if slices.ContainsFunc(k.Parts, func(q Pair) bool { return p.Columns[0] == q.Columns[0] || p.Columns[1] == q.Columns[1] }) {
			continue
		}
		l, r := a.columns[0][p.Columns[0]].hashes, a.columns[1][p.Columns[1]].hashes
		agree, chance, values := 0, 0, 0
		for i, rows := range paired {
			if l[rows[0]] == 0 || r[rows[1]] == 0 {
				continue
			}
			values++
			if l[rows[0]] == r[rows[1]] {
				agree++
			}
			if other := paired[(i+len(paired)/2)%len(paired)]; l[rows[0]] == r[other[1]] {
				chance++
			}
		}
		if values < 8 || chance == values {
			continue
		}
		lifts = append(lifts, max(0, float64(agree-chance)/float64(values-chance)))
	}
	if len(lifts) > 0 {
		k.Agree = slices.Max(lifts)
	}
}

// score says how good a key is: how much of each side it finds, how unique it is on its better side, whether what it pairs
// belongs together, and how small it is. Numbers with a fraction are measured, and seldom name anything.
func (a *adviser) score(k *Key) float64 {
	if k.Shared == 0 {
		return 0
	}
	var found, unique [2]float64
	for s := range found {
		found[s] = float64(k.Shared) / float64(k.Distinct[s])
		if unique[s] = 1; k.Repeated[s] > 0 { // nearly unique is not unique, and each repeat makes it worse
			unique[s] = max(0, 0.97-2*float64(k.Repeated[s])/float64(k.Distinct[s]))
		}
	}
	score := 0.7*max(found[0], found[1]) + 0.3*min(found[0], found[1])
	best := max(unique[0], unique[1])
	score *= 0.25 + 0.75*best*best
	agree := k.Agree
	if agree < 0 {
		if agree = 0.6; a.counts(k) {
			agree = 0
		}
	}
	score *= 0.35 + 0.65*agree
	for range len(k.Parts) - 1 {
		score *= 0.985
	}
	for _, p := range k.Parts {
		if a.columns[0][p.Columns[0]].found.Name == typing.Decimal || a.columns[1][p.Columns[1]].found.Name == typing.Decimal {
			score *= 0.6
		}
	}
	for s := range found {
		if all := a.out.Looked[s]; all > 0 {
			score *= 1 - 0.3*float64(k.Unkeyed[s])/float64(all)
		}
	}
	return score
}

// counts reports whether a key only counts the records of both sides: each next value is as far into its side as in the other.
func (a *adviser) counts(k *Key) bool {
	if len(k.Parts) != 1 {
		return false
	}
	l, r := a.columns[0][k.Parts[0].Columns[0]].hashes, a.columns[1][k.Parts[0].Columns[1]].hashes
	same := 0
	n := min(len(l), len(r), 1000)
	for i := range n {
		if l[i] == r[i] {
			same++
		}
	}
	return n > 20 && same > n*9/10
}
