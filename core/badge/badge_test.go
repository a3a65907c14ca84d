package badge

import (
	"errors"
	"fmt"
	"strings"
	"testing"
)

// shown writes a card as "kind match name:text, …", or why it is refused.
func shown(text string, own ...string) string {
	c, err := Read(text, own)
	if err != nil {
		return strings.TrimPrefix(err.Error(), "the card is refused: ")
	}
	var parts []string
	for _, p := range c.Parts {
		parts = append(parts, p.Name+":"+p.Text)
	}
	return fmt.Sprintf("%s %s %s", c.Kind, c.Match, strings.Join(parts, ", "))
}

// The numbers of payment cards are the examples that ISO/IEC 7812-1 and the brands publish
// for tests; nobody has them.
func TestRead(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"a first track", "%EMP00123?", "track1 EMP00123 data:EMP00123"},
		{"with a name", "%E12345^DOE/JANE^2?", "track1 E12345 data:E12345, name:DOE/JANE, more:2"},
		{"a second track", ";10023=9912?", "track2 10023 data:10023, more:9912"},
		{"as the reader ends it", ";10023?\r\n", "track2 10023 data:10023"},
		{"two tracks", "%EMP00123?;10023?", "tracks EMP00123 data:EMP00123, data:10023"},
		{"a third one alone", "+7788?", "tracks 7788 data:7788"},
		{"a barcode", "EMP-00123", "barcode EMP-00123 data:EMP-00123"},
		{"a number", "0004711", "number 0004711 number:0004711"},
		{"a long number that fails the check", "4111111111111112", "number 4111111111111112 number:4111111111111112"},
		{"a long number of none that issues cards", "9111111111111116", "number 9111111111111116 number:9111111111111116"},
		{"a first track in format B", "%B4111111111111111^DOE/JANE^2512?", "payment_card"},
		{"in small letters", "%b4111111111111111^DOE/JANE^2512?", "payment_card"},
		{"a second track with such a number", ";4111111111111111=2512?", "payment_card"},
		{"of twelve digits", ";123456789015?", "payment_card"},
		{"behind an employee's", "%EMP00123?;5555555555554444=2512?", "payment_card"},
		{"without its end", "%B4111111111111111^DOE/JA", "payment_card"},
		{"a bare number", "4111111111111111", "payment_card"},
		{"a bare one of the newer range", "2223003122003222", "payment_card"},
		{"cut off", "%EMP00123", "damaged"}, {"cut off behind another", "%EMP00123?;100", "damaged"},
		{"nothing in it", "%?", "damaged"}, {"more behind its end", "%EMP00123?X", "damaged"},
		{"nothing", " \r\n", "unreadable"}, {"no text", "EMP\x0100", "unreadable"},
		{"far too long", strings.Repeat("9", 300), "unreadable"},
	} {
		if got := shown(c.text); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
	if got := shown("4111111111111111", "411111"); got != "number 4111111111111111 number:4111111111111111" {
		t.Errorf("of the place's own: %s", got)
	}
	if got := shown(";4111111111111111?", "42", "411111"); got != "track2 4111111111111111 data:4111111111111111" {
		t.Errorf("a track of the place's own: %s", got)
	}
}

// Whatever a reader types, nothing of what is refused is repeated, and what is taken is of
// what was typed.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"%EMP00123?", ";4111111111111111=2512?", "%B4111111111111111^A/B^2512?;4111111111111111=2512?",
		"0004711", "+1?"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		c, err := Read(text, nil)
		var refused Refused
		if err != nil {
			if !errors.As(err, &refused) || len(c.Parts) > 0 || c.Match != "" || len(text) > 20 && strings.Contains(err.Error(), text) {
				t.Errorf("%v with %+v", err, c)
			}
			return
		}
		if c.Match == "" || len(c.Parts) == 0 || !strings.Contains(text, c.Match) {
			t.Errorf("%+v", c)
		}
		for _, p := range c.Parts {
			if n := len(p.Text); c.Kind != Barcode && n >= 12 && n <= 19 && digits(p.Text) && luhn(p.Text) && (issued(p.Text) && n >= 13) {
				t.Errorf("a payment card came through as %s", c.Kind)
			}
		}
	})
}
