// Package badge reads what a card reader types, as if it were a keyboard: the tracks of a
// magnetic card (ISO/IEC 7813), a barcode, or a number. What may be a payment card is
// refused, and no error or result repeats it.
package badge

import (
	"slices"
	"strings"
)

// Kind is what was read.
type Kind string

// The kinds.
const (
	Track1  Kind = "track1"
	Track2  Kind = "track2"
	Tracks  Kind = "tracks" // several
	Barcode Kind = "barcode"
	Number  Kind = "number"
)

// Part is a piece of a card that a person would recognise.
type Part struct {
	Name string `json:"name"`
	Text string `json:"text"`
}

// Card is what a card says. Match is the text by which it is known.
type Card struct {
	Kind  Kind   `json:"kind"`
	Parts []Part `json:"parts"`
	Match string `json:"match"`
}

// Refused says why a text is not taken. It never holds any of it.
type Refused string

func (r Refused) Error() string { return "the card is refused: " + string(r) }

// The reasons.
const (
	PaymentCard Refused = "payment_card"
	Damaged     Refused = "damaged" // a track without its end
	Unreadable  Refused = "unreadable"
)

// longest is how many characters a reader can type: the three tracks of ISO/IEC 7811.
const longest = 79 + 40 + 107

// Read reads a text as a reader types it. Numbers of cards of the place's own, by what
// they begin with, are no payment cards.
func Read(text string, own []string) (Card, error) {
	text = strings.TrimRight(text, "\r\n")
	trimmed := strings.TrimSpace(text)
	if trimmed == "" || len(text) > longest || strings.ContainsFunc(trimmed, func(r rune) bool { return r < ' ' || r > '~' }) {
		return Card{}, Unreadable
	}
	if strings.ContainsAny(trimmed[:1], "%;+") {
		return tracks(trimmed, own)
	}
	if digits(trimmed) {
		if n := len(trimmed); n >= 13 && n <= 19 && luhn(trimmed) && issued(trimmed) && !owned(trimmed, own) {
			return Card{}, PaymentCard
		}
		return Card{Number, []Part{{"number", trimmed}}, trimmed}, nil
	}
	return Card{Barcode, []Part{{"data", trimmed}}, trimmed}, nil
}

// tracks reads one track after another, each from its start to its end sentinel.
func tracks(text string, own []string) (Card, error) {
	var c Card
	var damaged bool
	read := 0
	for text != "" {
		start := text[0]
		if !strings.ContainsRune("%;+", rune(start)) {
			return Card{}, Damaged
		}
		body, rest, whole := strings.Cut(text[1:], "?")
		damaged = damaged || !whole
		if payment(start, body, own) { // a damaged one is one too
			return Card{}, PaymentCard
		}
		c.Kind = map[byte]Kind{'%': Track1, ';': Track2}[start]
		c.Parts = append(c.Parts, parts(start, body)...)
		text = strings.TrimSpace(rest)
		read++
	}
	if damaged || len(c.Parts) == 0 {
		return Card{}, Damaged
	}
	if read > 1 || c.Kind == "" {
		c.Kind = Tracks
	}
	c.Match = c.Parts[0].Text
	return c, nil
}

// parts are the fields of a track, those that are empty left out.
func parts(start byte, body string) (found []Part) {
	separator, names := "^", []string{"data", "name"}
	if start != '%' {
		separator, names = "=", []string{"data"}
	}
	for i, field := range strings.Split(body, separator) {
		if field = strings.TrimSpace(field); field == "" {
			continue
		}
		name := "more"
		if i < len(names) {
			name = names[i]
		}
		found = append(found, Part{name, field})
	}
	return found
}

// payment says whether a track is that of a payment card: a first one in format B, or one
// with a number of 12 to 19 digits that passes its check (ISO/IEC 7813, 7812-1); of a
// first one in another format, with what would be one bare.
func payment(start byte, body string, own []string) bool {
	if start == '%' && strings.HasPrefix(strings.ToUpper(body), "B") {
		return !owned(body[1:], own)
	}
	for field := range strings.FieldsFuncSeq(body, func(r rune) bool { return r == '=' || r == '^' || r == ' ' }) {
		least := 12
		if start == '%' {
			least = 13
		}
		if n := len(field); n >= least && n <= 19 && digits(field) && luhn(field) && (start != '%' || issued(field)) && !owned(field, own) {
			return true
		}
	}
	return false
}

func digits(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }

// luhn is the check of ISO/IEC 7812-1, annex B.
func luhn(number string) bool {
	sum := 0
	for i := range len(number) {
		n := int(number[len(number)-1-i] - '0')
		if i%2 == 1 {
			if n *= 2; n > 9 {
				n -= 9
			}
		}
		sum += n
	}
	return sum%10 == 0
}

// issued says whether a number begins as those of payment cards do: with 3 to 6, or 2221
// to 2720.
func issued(number string) bool {
	return number[0] >= '3' && number[0] <= '6' || number[:4] >= "2221" && number[:4] <= "2720"
}

func owned(number string, own []string) bool {
	return slices.ContainsFunc(own, func(prefix string) bool { return prefix != "" && strings.HasPrefix(number, prefix) })
}
