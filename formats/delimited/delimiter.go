package delimited

// Delimiters are the delimiters that can be found, in the order of preference where nothing else decides.
const Delimiters = ",;\t|"

// findDelimiter guesses the delimiter from the beginning of a text: the one with which the most lines have as many cells
// as the first, and more than one.
func findDelimiter(sample []byte) byte {
	best, bestAlike, bestCells := Delimiters[0], 0, 0
	for _, d := range []byte(Delimiters) {
		counts := cellCounts(sample, d, 50)
		if len(counts) == 0 || counts[0] < 2 {
			continue
		}
		alike := 0
		for _, n := range counts {
			if n == counts[0] {
				alike++
			}
		}
		if alike > bestAlike || alike == bestAlike && counts[0] > bestCells {
			best, bestAlike, bestCells = d, alike, counts[0]
		}
	}
	return best
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
