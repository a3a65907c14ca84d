package draw

// Strokes appends the strokes of a day on the rail: a stack as high as the
// hours worked against the most of any day, filled as far as approved.
func Strokes(dst []byte, worked, approved, most int64) []byte {
	const rows = 7
	s := svg{dst}
	s.open("strokes", 20, rows*3, "")
	if most > 0 && worked > 0 {
		n := int((worked*rows + most - 1) / most)
		filled := int(approved * int64(n) / worked)
		for i := range n {
			class := "todo"
			if i < filled {
				class = "done"
			}
			s.rect(class, 0, float64(rows*3-3*i-2), 20, 2)
		}
	}
	return s.raw(`</svg>`).b
}
