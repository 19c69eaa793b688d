package derive

import (
	"cmp"
	"slices"
	"strings"
)

// Order puts derived signals in an order in which each comes after those that it is computed from. of gives
// each one's inputs; measured signals are not in it. A circle is a *measure.Fault that names its members.
func Order(of map[string][]string) ([]string, error) {
	var order, way []string
	done := map[string]bool{}
	var visit func(string) error
	visit = func(path string) error {
		if i := slices.Index(way, path); i >= 0 {
			return fault("of", "%s goes in a circle", strings.Join(append(slices.Clone(way[i:]), path), " from "))
		}
		inputs, derived := of[path]
		if !derived || done[path] {
			return nil
		}
		way = append(way, path)
		for _, in := range inputs {
			if err := visit(in); err != nil {
				return err
			}
		}
		way = way[:len(way)-1]
		done[path] = true
		order = append(order, path)
		return nil
	}
	paths := make([]string, 0, len(of))
	for path := range of {
		paths = append(paths, path)
	}
	slices.SortFunc(paths, cmp.Compare[string])
	for _, path := range paths {
		if err := visit(path); err != nil {
			return nil, err
		}
	}
	return order, nil
}
