package app

import (
	"slices"
	"strings"
	"unicode/utf8"

	"manudex/core/refusal"
)

// AccountWord is a short word that the place keeps for a whole account.
type AccountWord struct{ Word, Account string }

// Accounts are the short words there are.
func (p *Company) Accounts() []AccountWord {
	words, _ := readAccountWords(p.AccountWords) // they were read when they were set
	return words
}

// AccountWordsValue reads short words for accounts, such as "paint = 4711-220, lamps = 4720".
func AccountWordsValue(text string) (string, error) {
	words, err := readAccountWords(text)
	var parts []string
	for _, w := range words {
		parts = append(parts, w.Word+" = "+w.Account)
	}
	return strings.Join(parts, ", "), err
}

func readAccountWords(text string) (words []AccountWord, err error) {
	for part := range strings.SplitSeq(text, ",") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		word, account, found := strings.Cut(part, "=")
		w := AccountWord{strings.TrimSpace(word), strings.TrimSpace(account)}
		switch {
		case !found || w.Word == "" || w.Account == "":
			return words, refusal.New("account_words", "“"+strings.TrimSpace(part)+"” has no account",
				"Write paint = 4711-220, lamps = 4720")
		case utf8.RuneCountInString(w.Word) > 20 || utf8.RuneCountInString(w.Account) > 60:
			return words, refusal.New("account_words", "“"+w.Word+"” is too long", "A word has at most 20 letters, an account 60")
		case slices.ContainsFunc(words, func(o AccountWord) bool { return strings.EqualFold(o.Word, w.Word) }):
			return words, refusal.New("account_words", "“"+w.Word+"” stands there twice", "Keep one of the two")
		}
		words = append(words, w)
	}
	return words, nil
}

// AccountNamed gives the account that a text means: one that is known, or the word for one.
func (p *Company) AccountNamed(text string, known []string) (string, error) {
	text = strings.TrimSpace(text)
	if text == "" || slices.Contains(known, text) {
		return text, nil
	}
	for _, w := range p.Accounts() {
		if strings.EqualFold(w.Word, text) || w.Account == text {
			return w.Account, nil
		}
	}
	return "", refusal.New("account", "There is no account “"+text+"”", "Write one of the words for accounts, or an account that is used")
}
