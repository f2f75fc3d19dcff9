package reading

import (
	"fmt"
	"slices"
	"strings"
)

// List is a lookup list: for each code, the code that stands for it.
type List struct {
	Name  string      `json:"name" yaml:"name" required:"true"`
	Pairs [][2]string `json:"pairs" yaml:"pairs" nullable:"false" description:"Each a code, and what stands for it; no code stands first twice."`
}

// Check reports what is wrong with the list.
func (l *List) Check() error {
	if strings.TrimSpace(l.Name) == "" {
		return fmt.Errorf("a lookup list needs a name")
	}
	first := make(map[string]int, len(l.Pairs))
	for i, p := range l.Pairs {
		if p[0] == "" {
			return fmt.Errorf("pair %d of the lookup list %q has no code that could be looked up", i+1, l.Name)
		}
		if at, ok := first[p[0]]; ok {
			return fmt.Errorf("the lookup list %q has the code %q twice, in pair %d as %q and in pair %d as %q; leave one of them", l.Name, p[0], at+1, l.Pairs[at][1], i+1, p[1])
		}
		first[p[0]] = i
	}
	return nil
}

// Lists are lookup lists by name.
type Lists map[string]map[string]string

// NewLists checks lists, and makes them ready.
func NewLists(lists []List) (Lists, error) {
	ready := Lists{}
	for _, l := range lists {
		if err := l.Check(); err != nil {
			return nil, err
		}
		if ready[l.Name] != nil {
			return nil, fmt.Errorf("two lookup lists are named %q; give each a name of its own", l.Name)
		}
		ready[l.Name] = make(map[string]string, len(l.Pairs))
		for _, p := range l.Pairs {
			ready[l.Name][p[0]] = p[1]
		}
	}
	return ready, nil
}

func compileLookup(name string, lists Lists) (step, error) {
	list, ok := lists[name]
	if !ok && lists != nil {
		var names []string
		for n := range lists {
			names = append(names, fmt.Sprintf("%q", n))
		}
		slices.Sort(names)
		if len(names) == 0 {
			return nil, fmt.Errorf("there is no lookup list %q; the sieve has none", name)
		}
		return nil, fmt.Errorf("there is no lookup list %q; the sieve has %s", name, strings.Join(names, ", "))
	}
	return func(dst, src []byte) ([]byte, bool) {
		if to, ok := list[string(src)]; ok {
			return append(dst, to...), true
		}
		return append(dst, src...), true
	}, nil
}
