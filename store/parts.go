package store

import (
	"context"
	"fmt"
	"strings"
)

// partUse says of each part of the product whether the company uses it: a part in use
// is on the pages, whatever was said of it.
const partUse = `
	select p.key, case p.key
		when 'customers' then exists (select from job where customer_id is not null or bill_rate is not null or not billable
			or billing_asked)
			or exists (select from task where not billable)
		when 'public_work' then exists (select from job where public_work) or exists (select from classification)
		when 'tags' then exists (select from person_tag) or exists (select from job_tag)
		when 'places' then exists (select from employment where location <> 'off' or location_required)
			or exists (select from company where new_location <> 'off') or exists (select from job where lat is not null)
		when 'accounts' then exists (select from employment where account <> '' or coding = 'required')
			or exists (select from unit where account <> '') or exists (select from job where account <> '')
			or exists (select from company where account_words <> '' or no_account <> 'crew')
		when 'expenses' then exists (select from company where expense_kinds <> '') or exists (select from expense)
		when 'groups' then exists (select from period_group)
		when 'subcontractors' then exists (select from terms where subcontractor)
		end as used, p.key = any(string_to_array((select parts_away from company), ',')) as away from `

// PartUse is whether a part is used, and whether it was put away.
type PartUse struct {
	Key        string
	Used, Away bool
}

// partKeys are the keys of the parts there are.
var partKeys = []string{"customers", "public_work", "tags", "places", "accounts", "expenses", "groups", "subcontractors"}

// PartUses reads that of every part.
func PartUses(ctx context.Context, q Q) ([]PartUse, error) {
	var found []PartUse
	if err := q.SelectContext(ctx, &found, partUse+`unnest($1::text[]) p(key)`, partKeys); err != nil {
		return nil, fmt.Errorf("read which parts are used: %w", err)
	}
	return found, nil
}

// AllPartsAway is what a company begins with: each part comes when it is used or asked for.
func AllPartsAway() string { return strings.Join(partKeys, ",") }

// PartsAway lists the parts that are put away and not used.
func PartsAway(ctx context.Context, q Q) ([]string, error) {
	var found []string
	err := q.SelectContext(ctx, &found, `select key from (`+partUse+`
		unnest(string_to_array((select parts_away from company), ',')) p(key)) x where not used`)
	if err != nil {
		return nil, fmt.Errorf("read which parts are put away: %w", err)
	}
	return found, nil
}
