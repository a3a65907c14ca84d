package people_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/dbtest"
)

// BenchmarkBringIn brings a file of 5,000 new people in, and copies the same
// rows into a table of their own with COPY. It reports rows a second of each
// and the ratio.
func BenchmarkBringIn(b *testing.B) {
	const people = 5000
	w := dbtest.Open(b)
	ctx := context.Background()
	mira := w.Person(b, "Mira Castellane")
	if _, err := w.DB.Exec(`create table copied (number text primary key, given text, family text, unit text, hired text,
		email text unique, rate text)`); err != nil {
		b.Fatal(err)
	}
	var ours, copying time.Duration
	round := 0
	for b.Loop() {
		round++
		rows := [][]string{{"Number", "Given name", "Family name", "Crew or department", "Hired", "E-mail", "Rate an hour"}}
		plain := make([][]any, people)
		for i := range people {
			row := []string{fmt.Sprintf("%d-%d", round, i), "Given", fmt.Sprint("Family", i), "Plate shop", "2026-11-02",
				fmt.Sprintf("p%d-%d@ebbwater.example", round, i), "22.50"}
			rows = append(rows, row)
			plain[i] = make([]any, len(row))
			for k := range row {
				plain[i][k] = row[k]
			}
		}
		id := apptest.NewID()
		if err := w.Do(ctx, mira, bringin.TakeFile{Kind: bringin.PeopleFile, ID: id, FileName: "people.csv", Rows: rows}); err != nil {
			b.Fatal(err)
		}
		begun := time.Now()
		if err := w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: id}); err != nil {
			b.Fatal(err)
		}
		ours += time.Since(begun)
		begun = time.Now()
		if _, err := w.DB.Pool.CopyFrom(ctx,
			pgx.Identifier{"copied"}, []string{"number", "given", "family", "unit", "hired", "email", "rate"},
			pgx.CopyFromRows(plain)); err != nil {
			b.Fatal(err)
		}
		copying += time.Since(begun)
	}
	b.ReportMetric(float64(b.N*people)/ours.Seconds(), "rows/s")
	b.ReportMetric(float64(b.N*people)/copying.Seconds(), "copied/s")
	b.ReportMetric(float64(ours)/float64(copying), "×copy")
}
