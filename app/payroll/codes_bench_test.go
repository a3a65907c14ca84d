package payroll_test

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/core/when"
	"manudex/dbtest"
)

// BenchmarkPayRunCodes reads the open run with pay codes named by every
// person, job and classification, and without any, and reports the ratio.
func BenchmarkPayRunCodes(b *testing.B) {
	w := dbtest.Open(b)
	ctx := context.Background()
	sana := w.Person(b, "Sana Verity")
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(b, w, when.NewDate(2026, 11, 21))
	run := func() time.Duration {
		begun := time.Now()
		if _, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil); err != nil {
			b.Fatal(err)
		}
		return time.Since(begun)
	}
	var with, without time.Duration
	for b.Loop() {
		if _, err := w.DB.Exec(`insert into pay_code (id, person_id, pays, code, starts_on)
			select gen_random_uuid(), id, pays, left(pays, 3) || number, date '2026-01-01' + n
			from person, unnest(array['regular', 'overtime', 'double']) pays, generate_series(0, 300, 60) n`); err != nil {
			b.Fatal(err)
		}
		if _, err := w.DB.Exec(`insert into pay_code (id, job_id, pays, code, starts_on)
			select gen_random_uuid(), id, 'regular', 'J' || number, date '2026-01-01' + n from job, generate_series(0, 300, 60) n
			on conflict do nothing`); err != nil {
			b.Fatal(err)
		}
		with += run()
		if _, err := w.DB.Exec(`delete from pay_code`); err != nil {
			b.Fatal(err)
		}
		without += run()
	}
	b.ReportMetric(float64(with)/float64(b.N)/1e6, "ms-with")
	b.ReportMetric(float64(without)/float64(b.N)/1e6, "ms-without")
	b.ReportMetric(float64(with)/float64(without), "×without")
}
