package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// CensusRow is how many people are alike in everything that a list of them is
// filtered by.
type CensusRow struct {
	Kind  string // of their crew or department, "" for those without
	Unit  *uuid.UUID
	Site  *uuid.UUID
	Level string
	State string
	Lacks Texts // of [Lacks]
	N     int
}

// Census counts everybody whom the texts of a filter pick, whatever their crew,
// site, level and state. Its rows are as many as there are kinds of people, not
// as many as people.
func Census(ctx context.Context, q Q, on when.Date, f SheetFilter) ([]CensusRow, error) {
	f.Kinds, f.InUnits, f.Sites, f.Levels, f.State, f.Without = nil, nil, nil, nil, "any", ""
	lacking := ""
	for _, name := range Lacks() {
		lacking += ` case when ` + lacks[name] + ` then '` + name + `' end,`
	}
	w := f.where(on)
	var rows []CensusRow
	if err := q.SelectContext(ctx, &rows, `
		select kind, unit, site, level, state, lacks, count(*) as n from (
			select x.unit_kind as kind, x.unit_id as unit, x.site_id as site, x.level, x.state,
				array_remove(array[`+lacking[:len(lacking)-1]+`], null) as lacks
			from (`+sheetQuery+`) x `+w.sql()+`) c
		group by 1, 2, 3, 4, 5, 6`, w.args...); err != nil {
		return nil, fmt.Errorf("count people: %w", err)
	}
	return rows, nil
}
