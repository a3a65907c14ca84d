package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Tag is a tag of the company's own, with the last day it holds.
type Tag struct {
	Tag     string
	Expires *when.Date
}

// PutTags makes people's tags those given.
func PutTags(ctx context.Context, q Q, tags map[uuid.UUID][]Tag) error {
	if _, err := q.ExecContext(ctx, `delete from person_tag where person_id = any($1)`, keysOf(tags)); err != nil {
		return err
	}
	var rows [][]any
	for person, list := range tags {
		for _, t := range list {
			rows = append(rows, []any{person, t.Tag, nullDate(t.Expires)})
		}
	}
	return insertRows(ctx, q, "person_tag", []string{"person_id", "tag", "expires_on"}, "", len(rows), func(i int) []any { return rows[i] })
}

// PutJobTags sets which tags whoever works on a job needs.
func PutJobTags(ctx context.Context, q Q, job uuid.UUID, tags []string) error {
	if tags == nil {
		tags = []string{}
	}
	if _, err := q.ExecContext(ctx, `delete from job_tag where job_id = $1 and tag <> all($2::text[])`, job, tags); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into job_tag (job_id, tag) select $1, unnest($2::text[]) on conflict do nothing`, job, tags)
	return err
}

// TagNames lists the tags that people have and jobs need.
func TagNames(ctx context.Context, q Q) ([]string, error) {
	var found []string
	err := q.SelectContext(ctx, &found, `select tag from person_tag union select tag from job_tag order by 1`)
	return found, err
}

// LackingTag is a shift on a job that needs a tag which the person doesn't
// have on that day.
type LackingTag struct {
	Person     uuid.UUID `db:"person_id"`
	Employment uuid.UUID `db:"employment_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	Date       when.Date // of the first such shift
	Job        uuid.UUID `db:"job_id"`
	Number     string
	JobName    string `db:"job_name"`
	Tag        string
	Expires    *when.Date `db:"expires_on"` // nil: they never had it
	Shifts     int        // how many such shifts there are in the span
}

// Name is the person's name.
func (l LackingTag) Name() string { return l.Given + " " + l.Family }

// LackingTags lists the shifts in a span for which a tag lacks, by person, job
// and tag, the soonest first. A nil units means all; a zero person everybody.
func LackingTags(ctx context.Context, q Q, span when.Period, person uuid.UUID, units []uuid.UUID) ([]LackingTag, error) {
	var found []LackingTag
	w := among(span.From.String(), span.To.String())
	w.plain(`(pt.tag is null or pt.expires_on < s.date)`)
	if person != uuid.Nil {
		w.and(`e.person_id = $%d`, person)
	}
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	err := q.SelectContext(ctx, &found, `
		select e.person_id, min(e.id::text)::uuid as employment_id, min(e.unit_id::text)::uuid as unit_id, p.given_name, p.family_name,
		min(s.date) as date, j.id as job_id, j.number, j.name as job_name, jt.tag, pt.expires_on, count(*) as shifts
		from job_tag jt join shift s on s.job_id = jt.job_id and s.date between $1 and $2
		join employment e on e.id = s.employment_id join person p on p.id = e.person_id join job j on j.id = jt.job_id
		left join person_tag pt on pt.person_id = e.person_id and lower(pt.tag) = lower(jt.tag)
		`+w.sql()+`
		group by e.person_id, p.given_name, p.family_name, j.id, j.number, j.name, jt.tag, pt.expires_on order by date, p.family_name,
		p.given_name, jt.tag`,
		w.args...)
	if err != nil {
		return nil, fmt.Errorf("read tags that shifts need: %w", err)
	}
	return found, nil
}
