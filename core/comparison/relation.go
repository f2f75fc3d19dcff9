package comparison

import "twinsieve/core/match"

// Relation says how many records of one side carry a key of the other.
type Relation string

// The relations between two sides, judged by the keys that both have.
const (
	OneToOne   Relation = "one to one"
	OneToMany  Relation = "one to many"
	ManyToOne  Relation = "many to one"
	ManyToMany Relation = "many to many"
)

// RelationOf returns the relation that the totals show.
func RelationOf(t *match.Totals) Relation { return Related(t.Most) }

// Related returns the relation of sides of which so many records at most have one key that both sides have.
func Related(most [2]int64) Relation {
	switch many := [2]bool{most[0] > 1, most[1] > 1}; many {
	case [2]bool{false, true}:
		return OneToMany
	case [2]bool{true, false}:
		return ManyToOne
	case [2]bool{true, true}:
		return ManyToMany
	}
	return OneToOne
}
