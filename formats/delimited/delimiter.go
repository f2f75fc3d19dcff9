package delimited

// Delimiters are the delimiters that can be found, in the order of preference where nothing else decides.
const Delimiters = ",;\t|"

// FindDelimiter guesses the delimiter from the beginning of a text: the one with which the most lines have as many cells
// as the first, and more than one. It says how many of the lines looked at are alike; with no delimiter that divides, none.
func FindDelimiter(sample []byte) (best byte, alike, of int) {
	best = Delimiters[0]
	bestCells := 0
	for _, d := range []byte(Delimiters) {
		counts := cellCounts(sample, d, 50)
		if len(counts) == 0 || counts[0] < 2 {
			continue
		}
		same := 0
		for _, n := range counts {
			if n == counts[0] {
				same++
			}
		}
		if same > alike || same == alike && counts[0] > bestCells {
			best, alike, of, bestCells = d, same, len(counts), counts[0]
		}
	}
	return best, alike, of
}

// cellCounts counts the cells of the first lines, at most so many. Delimiters and line ends in quotes do not count.
func cellCounts(sample []byte, delimiter byte, most int) (counts []int) {
	cells, quoted, empty := 1, false, true
	for _, c := range sample {
		switch {
		case c == '"':
			quoted = !quoted
			empty = false
		case quoted:
		case c == delimiter:
			cells++
			empty = false
		case c == '\n':
			if !empty {
				counts = append(counts, cells)
			}
			if len(counts) == most {
				return counts
			}
			cells, empty = 1, true
		case c != '\r':
			empty = false
		}
	}
	if len(counts) == 0 && !empty {
		counts = append(counts, cells)
	}
	return counts
}
