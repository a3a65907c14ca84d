package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/when"
)

// RuleSet is a dated rule set.
type RuleSet struct {
	Name  string
	From  when.Date
	Rules pay.Rules
	JSON  json.RawMessage // as it is kept, holidays apart
}

// RuleSets reads all rule sets, the oldest first, their zone being the
// company's.
func RuleSets(ctx context.Context, q Q, c Company) ([]RuleSet, error) {
	var rows []struct {
		Name     string
		StartsOn when.Date `db:"starts_on"`
		Rules    json.RawMessage
	}
	if err := q.SelectContext(ctx, &rows, `select name, starts_on, rules from rule_set order by starts_on`); err != nil {
		return nil, fmt.Errorf("read rule sets: %w", err)
	}
	holidays, err := Holidays(ctx, q)
	if err != nil {
		return nil, fmt.Errorf("read holidays: %w", err)
	}
	sets := make([]RuleSet, len(rows))
	for i, r := range rows {
		rules, wrong := ParseRuleSet(r.Rules, c, holidays)
		if len(wrong) > 0 {
			return nil, fmt.Errorf("rule set %q: %w", r.Name, wrong[0])
		}
		rules.Name = r.Name
		sets[i] = RuleSet{r.Name, r.StartsOn, rules, r.Rules}
	}
	return sets, nil
}

// ParseRuleSet reads a rule set as a company keeps it: its zone and currency,
// and its holidays that pay a premium.
func ParseRuleSet(raw json.RawMessage, c Company, holidays []Holiday) (pay.Rules, []pay.FieldError) {
	rules, wrong := pay.ParseRules(raw, c.Loc)
	rules.CurrencyDecimals = c.CurrencyDecimals
	for _, h := range holidays {
		if h.Multiplier == nil {
			continue
		}
		if m, err := pay.ParseRate(*h.Multiplier); err == nil {
			rules.Holidays = append(rules.Holidays, pay.Holiday{Date: h.Date, Multiple: m})
		}
	}
	return rules, wrong
}

// PutRuleSet adds a rule set from a date, or changes the one that begins
// then.
func PutRuleSet(ctx context.Context, q Q, id uuid.UUID, name string, from when.Date, rules json.RawMessage) error {
	_, err := q.ExecContext(ctx, `insert into rule_set (id, name, starts_on, rules) values ($1, $2, $3, $4)
		on conflict (starts_on) do update set name = excluded.name, rules = excluded.rules`,
		id, name, from.String(), string(rules))
	return err
}

// DropRuleSet takes the rule set that begins on a date out; it says whether
// there was one.
func DropRuleSet(ctx context.Context, q Q, from when.Date) (bool, error) {
	return did(q.ExecContext(ctx, `delete from rule_set where starts_on = $1`, from.String()))
}
