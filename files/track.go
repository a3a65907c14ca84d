package files

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"manudex/core/badge"
)

// Track reads card texts, one a line, as a reader types them, and answers a JSON object a
// line. It says whether every line could be read; a text that is refused is repeated
// nowhere.
func Track(in io.Reader, out io.Writer, own []string) (whole bool, err error) {
	lines := bufio.NewReader(in)
	answer := json.NewEncoder(out)
	answer.SetEscapeHTML(false)
	whole = true
	for n := 1; ; n++ {
		text, err := lines.ReadString('\n')
		if text == "" && errors.Is(err, io.EOF) {
			return whole, nil
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return whole, fmt.Errorf("read line %d: %w", n, err)
		}
		card, refused := badge.Read(text, own)
		var said any = card
		if refused != nil {
			why := badge.Unreadable
			errors.As(refused, &why)
			said, whole = map[string]badge.Refused{"refused": why}, whole && why == badge.PaymentCard
		}
		if err := answer.Encode(said); err != nil {
			return whole, err
		}
	}
}
