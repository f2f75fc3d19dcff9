package pairing

// leastPairs returns, of all cheapest assignments, the one whose list of pairs is least: each left record in turn gets
// the first right record that some cheapest assignment allows it, given what the records before it got.
//
// An assignment is seen as every left record owning a slot: a right record, or, where there are more lefts than rights,
// the spare slot, which any number of lefts may own. Where there are more rights than lefts, the pool owns the rights
// that nobody else does. To give a left record x another slot, its owner must find another one, and so on, until
// somebody takes the slot that x gave up.
func leastPairs(t ties) []int {
	s := &slots{ties: t, left: make([]int, t.rights), pool: t.lefts, spare: t.rights}
	for r := range s.left {
		s.left[r] = s.pool
	}
	for l, r := range t.right {
		if r < 0 {
			s.right[l] = s.spare
		} else {
			s.left[r] = l
		}
	}
	for x := range t.lefts {
		s.improve(x)
	}
	for l, r := range s.right {
		if r == s.spare {
			s.right[l] = -1
		}
	}
	return s.right
}

type slots struct {
	ties
	left        []int // owner of each right record: a left record, or the pool
	pool, spare int
}

// move is how an owner gets out of the way: it takes a slot, whose owner then has to move.
type move struct{ slot, then int }

// improve gives the left record x the first right record that it can have. The slots of the records before x stay.
func (s *slots) improve(x int) {
	given := s.right[x]
	wanted := -1
	var moves map[int]move
	for r := 0; r < min(given, s.rights); r++ {
		if s.left[r] < x || !s.tight(x, r) {
			continue
		}
		if moves == nil {
			moves = s.movesTo(given, x)
		}
		if _, ok := moves[s.left[r]]; ok {
			wanted = r
			break
		}
	}
	if wanted < 0 {
		return
	}
	mover := s.left[wanted]
	s.take(x, wanted)
	for {
		m := moves[mover]
		s.take(mover, m.slot)
		if m.slot == given {
			return
		}
		mover = m.then
	}
}

func (s *slots) take(owner, slot int) {
	if owner != s.pool {
		s.right[owner] = slot
	}
	if slot != s.spare {
		s.left[slot] = owner
	}
}

// movesTo finds all owners after x that can move such that in the end the slot given is taken.
func (s *slots) movesTo(given, x int) map[int]move {
	moves := map[int]move{}
	queued := map[int]bool{given: true}
	type open struct{ slot, owner int }
	queue := []open{{given, -1}}
	for len(queue) > 0 {
		o := queue[0]
		queue = queue[1:]
		for y := x + 1; y <= s.lefts; y++ {
			if y == s.pool && s.rights <= s.lefts {
				break
			}
			if _, ok := moves[y]; ok || y == o.owner || !s.canTake(y, o.slot) {
				continue
			}
			moves[y] = move{o.slot, o.owner}
			for _, slot := range s.owned(y) {
				if !queued[slot] {
					queued[slot] = true
					queue = append(queue, open{slot, y})
				}
			}
		}
	}
	return moves
}

// canTake reports whether owner may own slot in a cheapest assignment, and does not yet.
func (s *slots) canTake(owner, slot int) bool {
	switch {
	case owner == s.pool:
		return s.left[slot] != s.pool && s.mayBeFree(slot)
	case slot == s.spare:
		return s.right[owner] != s.spare && s.mayBeFree(owner)
	}
	return s.right[owner] != slot && s.tight(owner, slot)
}

func (s *slots) owned(owner int) []int {
	if owner != s.pool {
		return []int{s.right[owner]}
	}
	var free []int
	for r, o := range s.left {
		if o == s.pool {
			free = append(free, r)
		}
	}
	return free
}
