package e2e

import (
	"testing"
	"time"
)

// Leave is asked for on a phone, which says what it costs; the desk approves it; the phone and
// the roster show it.
func TestLeaveIsAskedFor(t *testing.T) {
	s := open(t)
	phone, desk := s.device(390, 844), s.device(1280, 800)
	phone.signIn("Dao Pham")
	phone.open("/shifts")
	phone.press("My leave")
	form := phone.sees("#ask", "What does it cost")
	on := func(name string, day int) {
		form.MustElement(`[name="` + name + `"]`).MustInputTime(time.Date(2026, 11, day, 0, 0, 0, 0, time.UTC))
	}
	on("from", 20)
	on("to", 23)
	form.MustElement(`[name="note"]`).MustInput("a wedding")
	phone.press("What does it cost")
	phone.sees("#ask .costs", "Fri 20 Nov: 8:00[^]*Sat 21 Nov: no working day[^]*Sun 22 Nov: no working day[^]*Mon 23 Nov: 8:00")
	phone.sees("#ask", "Together 16:00")
	phone.fits("my leave")
	phone.accessible("my leave", "all")
	s.shot(phone, "leave")
	phone.press("^Ask for it$")
	phone.sees(".ownday", "Fri 20 Nov – Mon 23 Nov · Annual leave · 16:00 · asked for")

	desk.signIn("Mira Castellane")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Dao")
	desk.sees("tr.r", "Dao Pham[^]*asks for leave: Annual leave")
	desk.press("Leave asked for")
	row := desk.sees("tr.r", "Dao Pham[^]*Fri 20 Nov – Mon 23 Nov[^]*2 days, 16:00[^]*a wedding")
	desk.fits("leave asked for")
	desk.accessible("leave asked for", "all")
	row.MustElement(`[name="request"]`).MustClick()
	desk.press("Approve those who are ticked")
	desk.sees(".said", "Approved, and they are told")
	desk.sees(".empty", "No leave waits")
	phone.open("/leave")
	phone.sees(".ownday", "16:00 · approved")
	enter := desk.sees("form.entry", "Enter it")
	enter.MustElement(`[name="who"]`).MustInput("Abena Farouk")
	enter.MustElement(`[name="from"]`).MustInputTime(time.Date(2026, 11, 19, 0, 0, 0, 0, time.UTC))
	enter.MustElement(`[name="to"]`).MustInputTime(time.Date(2026, 11, 19, 0, 0, 0, 0, time.UTC))
	desk.press("^Enter it$")
	desk.sees(".said", "Entered, and they are told")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Abena")
	desk.sees("tr.r", "Abena Farouk[^]*on leave: Annual leave")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Dao")
	desk.sees("tr.r", "Dao Pham[^]*on leave: Annual leave")
	desk.open("/setup/on/leave")
	desk.sees("fieldset", "Kinds of leave")
	desk.fits("kinds of leave")
	desk.accessible("kinds of leave", "all")
}
