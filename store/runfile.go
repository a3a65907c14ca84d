package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// RunFile is a file that was made of a closed run.
type RunFile struct {
	Run    uuid.UUID `db:"run_id"`
	Name   string
	Media  string
	Data   []byte
	SHA256 []byte    `db:"sha256"`
	By     uuid.UUID `db:"made_by"`
	ByName string    `db:"by_name"`
	MadeAt time.Time `db:"made_at"`
	Size   int
	Sealed bool // it holds account numbers: Data is encrypted, SHA256 of what it was made as
}

// RunFiles lists the files that were made of a closed run, without what is in them.
func RunFiles(ctx context.Context, q Q, run uuid.UUID) ([]RunFile, error) {
	var found []RunFile
	if err := q.SelectContext(ctx, &found, `
		select f.run_id, f.name, f.media, f.sha256, f.made_by, f.made_at, length(f.data) as size, f.sealed, p.given_name || ' ' ||
			p.family_name as by_name
		from run_file f join person p on p.id = f.made_by where f.run_id = $1 order by f.made_at, f.name`, run); err != nil {
		return nil, fmt.Errorf("read the files of a run: %w", err)
	}
	return found, nil
}

// GetRunFile reads one.
func GetRunFile(ctx context.Context, q Q, run uuid.UUID, name string) (f RunFile, err error) {
	err = q.GetContext(ctx, &f, `select run_id, name, media, data, sha256, made_by, made_at, sealed from run_file
		where run_id = $1 and name = $2`,
		run, name)
	return f, err
}

// KeepRunFile keeps a file that was made, and gives the one that is kept: of two who make it at once, the
// first one's.
func KeepRunFile(ctx context.Context, q Q, f RunFile) (RunFile, error) {
	if _, err := q.ExecContext(ctx, `insert into run_file (run_id, name, media, data, sha256, made_by, made_at, sealed)
		values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict do nothing`, f.Run, f.Name, f.Media, f.Data, f.SHA256, f.By,
		f.MadeAt, f.Sealed); err != nil {
		return f, fmt.Errorf("keep a file of a run: %w", err)
	}
	kept, err := GetRunFile(ctx, q, f.Run, f.Name)
	if err != nil {
		return f, fmt.Errorf("read a file of a run: %w", err)
	}
	return kept, nil
}

// PayLayout is a layout from a day on.
type PayLayout struct {
	ID       uuid.UUID
	Name     string
	StartsOn when.Date `db:"starts_on"`
	Layout   json.RawMessage
	ByName   string    `db:"by_name"`
	MadeAt   time.Time `db:"made_at"`
}

// PayLayouts lists them by name and day.
func PayLayouts(ctx context.Context, q Q) ([]PayLayout, error) {
	var found []PayLayout
	if err := q.SelectContext(ctx, &found, `
		select l.id, l.name, l.starts_on, l.layout, l.made_at, p.given_name || ' ' || p.family_name as by_name
		from pay_layout l join person p on p.id = l.by_person where l.gone_at is null order by l.name, l.starts_on`); err != nil {
		return nil, fmt.Errorf("read layouts: %w", err)
	}
	return found, nil
}

// PutPayLayout keeps a layout under its name from a day on, in the place of one of the same day.
func PutPayLayout(ctx context.Context, q Q, l PayLayout, by uuid.UUID) error {
	if _, err := q.ExecContext(ctx, `update pay_layout set gone_at = $3 where name = $1 and starts_on = $2 and gone_at is null`, l.Name,
		l.StartsOn.String(), l.MadeAt); err != nil {
		return fmt.Errorf("put a layout out: %w", err)
	}
	if _, err := q.ExecContext(ctx,
		`insert into pay_layout (id, name, starts_on, layout, by_person, made_at) values ($1, $2, $3, $4, $5, $6)`,
		l.ID, l.Name, l.StartsOn.String(), string(l.Layout), by, l.MadeAt); err != nil {
		return fmt.Errorf("keep a layout: %w", err)
	}
	return nil
}

// DropPayLayout takes a layout out.
func DropPayLayout(ctx context.Context, q Q, id uuid.UUID, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update pay_layout set gone_at = $2 where id = $1 and gone_at is null`, id, at))
}

// PayWay is a way in which people are paid.
type PayWay struct {
	Name   string
	Layout string // by its name, "" for none
	People int
}

// PayWays lists them by name.
func PayWays(ctx context.Context, q Q) ([]PayWay, error) {
	var found []PayWay
	if err := q.SelectContext(ctx, &found, `
		select w.name, w.layout, (select count(*) from employment e where e.pay_way = w.name) as people from pay_way w
		where w.gone_at is null order by w.name`); err != nil {
		return nil, fmt.Errorf("read ways of being paid: %w", err)
	}
	return found, nil
}

// PutPayWay adds a way, or gives it another layout.
func PutPayWay(ctx context.Context, q Q, w PayWay) error {
	_, err := q.ExecContext(ctx, `insert into pay_way (name, layout) values ($1, $2)
		on conflict (name) do update set layout = excluded.layout, gone_at = null`, w.Name, w.Layout)
	return err
}

// DropPayWay takes a way out that nobody is paid by; false where somebody is, or there is none.
func DropPayWay(ctx context.Context, q Q, name string, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update pay_way set gone_at = $2 where name = $1 and gone_at is null
		and not exists (select 1 from employment where pay_way = $1)`, name, at))
}
