package demo

import (
	_ "embed"

	"manudex/core/geo"
)

// The invented coast: everything here is made up.

//go:embed coast.geojson
var coast []byte

type siteSpec struct {
	name  string
	at    geo.Point
	fence float64
}

var siteSpecs = []siteSpec{
	{"Ebbwater works", geo.Point{Lat: 40.1180, Lon: -50.2210}, 250},
	{"North Staithe", geo.Point{Lat: 40.2065, Lon: -50.1480}, 300},
	{"Carrow Point", geo.Point{Lat: 40.0410, Lon: -50.0905}, 300},
	{"Route 9", geo.Point{Lat: 40.0890, Lon: -50.3120}, 400},
}

// clockHours is a shift by local minutes of the day.
type clockHours struct{ from, to int }

type unitSpec struct {
	name, kind, title string
	site              int
	people            int
	hours             clockHours
	workdays          string // letters SMTWTFS, '-' where nobody works
	rate              int    // cents an hour at entry
	field             bool
	class             string // work classification on public works
	jobs              []string
	codes             string // first digits of the cost codes the unit works on
}

const (
	weekdays = "-MTWTF-"
	nights   = "SMTWT--"
)

var unitSpecs = []unitSpec{
	{"Plate shop", "department", "Plate worker", 0, 9, clockHours{360, 870}, weekdays, 2350, false, "",
		[]string{"2207", "2211", "2219", "2226", "2233", "2252"}, "129"},
	{"Paint line", "department", "Painter", 0, 7, clockHours{360, 870}, weekdays, 2275, false, "",
		[]string{"2207", "2211", "2226", "2229", "2252"}, "29"},
	{"Lamp bench", "department", "Lamp fitter", 0, 5, clockHours{360, 870}, weekdays, 2620, false, "",
		[]string{"2214", "2224", "2228", "2236"}, "3"},
	{"Lamp bench, late", "department", "Lamp fitter", 0, 5, clockHours{870, 1380}, weekdays, 2700, false, "",
		[]string{"2214", "2224", "2228", "2236"}, "3"},
	{"Gantry crew A", "crew", "Rigger", 3, 6, clockHours{420, 930}, weekdays, 2950, true, "IRW", []string{"2231", "2238", "2243"}, "56"},
	{"Gantry crew B", "crew", "Rigger", 3, 6, clockHours{420, 930}, weekdays, 2950, true, "IRW", []string{"2231", "2238", "2247"}, "56"},
	{"Harbour crew", "crew", "Beacon hand", 1, 6, clockHours{390, 900}, weekdays, 2810, true, "ELE",
		[]string{"2219", "2224", "2236", "2249"}, "5"},
	{"Night lane crew", "crew", "Lane hand", 3, 6, clockHours{1200, 1710}, nights, 2740, true, "FLG", []string{"2240", "2245"}, "7"},
	{"Drawing office", "office", "Draughtsperson", 0, 4, clockHours{480, 990}, weekdays, 3120, false, "",
		[]string{"2231", "2224", "2250", "2251"}, "0"},
}

// kindSpecs are the kinds of job, by the jobs that are of them.
var kindSpecs = []struct {
	name, tasks string
	own         bool
	jobs        []string
}{
	{"Signs", "110 Cutting\n120 Folding\n130 Punching\n210 Priming\n220 Coating\n230 Lettering\n", false,
		[]string{"2207", "2211", "2226", "2190", "2201"}},
	{"Setting up", "510 Setting out\n520 Erecting\n530 Connecting\n540 Clearing up\n", false,
		[]string{"2231", "2243", "2247", "2249", "2196", "2204"}},
	{"Lane work", "710 Closing\n720 Marking\n730 Opening\n", false, []string{"2240", "2245"}},
	{"Own work", "", true, []string{"2214", "2233", "2250", "2251", "2252", "2253"}},
}

// codeSpecs are the pay codes that are named: by the company, or by a job.
var codeSpecs = []struct{ job, pays, code string }{
	{"", "regular", "REG"}, {"", "overtime", "OT"}, {"", "double", "DT"}, {"", "leave", "PTO"}, {"2253", "regular", "TRN"},
}

// jobHours are the hours that jobs have: one is past them, others come to their end.
var jobHours = map[string]int64{"2228": 1290, "2226": 2640, "2219": 2760, "2238": 4000, "2224": 3300, "2207": 2600}

// jobTags are the tags that jobs need.
var jobTags = map[string]string{"2238": "Work at height"}

type jobSpec struct {
	number, name, customer string
	site                   int // -1 for none
	public                 bool
	closed                 bool
	tasks                  []string // "code name"
}

var shopTasks = []string{"110 Cutting", "120 Folding", "130 Punching", "210 Priming", "220 Coating", "230 Lettering"}
var fieldTasks = []string{"510 Setting out", "520 Erecting", "530 Connecting", "540 Clearing up"}

var jobSpecs = []jobSpec{
	{"2207", "Route signs, Fennick", "Fennick Roads", 0, false, false, shopTasks},
	{"2211", "Town signs, Hollin Bridge", "County of Hollin", 0, false, false, shopTasks},
	{"2214", "Lamp heads, stock", "", 0, false, false, []string{"310 Winding", "320 Fitting", "330 Testing"}},
	{"2219", "Buoy plates, Tamsin Quay", "Tamsin Quay Company", 1, false, false, []string{"110 Cutting", "210 Priming", "520 Erecting"}},
	{"2224", "Beacon, North Staithe", "Ebbwater Harbour Trust", 1, true, false,
		[]string{"010 Drawings", "320 Fitting", "330 Testing", "520 Erecting", "530 Connecting"}},
	{"2226", "Kilometre plates", "Fennick Roads", 0, false, false, shopTasks},
	{"2228", "Lamp repair, Carrow Point", "Carrow Point Light Board", 0, false, false, []string{"320 Fitting", "330 Testing"}},
	{"2229", "Recoating, Hollin Bridge", "County of Hollin", 0, false, false, []string{"210 Priming", "220 Coating"}},
	{"2231", "Gantry, Route 9", "County of Hollin", 3, true, false, append([]string{"010 Drawings"}, fieldTasks...)},
	{"2233", "Bollard bands", "", 0, false, false, shopTasks},
	{"2236", "Leading lights, Carrow Point", "Carrow Point Light Board", 2, true, false,
		[]string{"320 Fitting", "520 Erecting", "530 Connecting"}},
	{"2238", "Gantry inspection, Route 9", "County of Hollin", 3, false, false, []string{"610 Inspecting", "620 Small repairs"}},
	{"2240", "Lane closure, Route 9", "County of Hollin", 3, true, false, []string{"710 Closing", "720 Marking", "730 Opening"}},
	{"2243", "Footbridge signs, Hollin Bridge", "County of Hollin", -1, false, false, fieldTasks},
	{"2245", "Night marking, Fennick", "Fennick Roads", -1, true, false, []string{"710 Closing", "720 Marking", "730 Opening"}},
	{"2247", "Portal sign, Fennick", "Fennick Roads", -1, false, false, fieldTasks},
	{"2249", "Harbour marks, Tamsin Quay", "Tamsin Quay Company", -1, false, false, fieldTasks},
	{"2250", "Drawings, standing order", "", 0, false, false, []string{"010 Drawings", "020 Checking"}},
	{"2251", "Tender drawings", "", 0, false, false, []string{"010 Drawings"}},
	{"2252", "Works upkeep", "", 0, false, false, []string{"910 Cleaning", "920 Tool repair"}},
	{"2253", "Training", "", 0, false, false, nil},
	{"2190", "Approach signs, Carrow Point", "Carrow Point Light Board", 2, false, true, shopTasks},
	{"2196", "Beacon trial, Tamsin Quay", "Tamsin Quay Company", -1, false, true, fieldTasks},
	{"2201", "Depot signs, Fennick", "Fennick Roads", -1, false, true, shopTasks},
	{"2204", "Pier lamps, North Staithe", "Ebbwater Harbour Trust", 1, false, true, fieldTasks},
}

var classSpecs = []struct{ code, name string }{
	{"IRW", "Ironworker"}, {"ELE", "Electrician"}, {"FLG", "Traffic controller"}, {"LAB", "General labourer"},
}

// wage is the least basic rate in cents by class on the public works.
var wage = map[string]int{"IRW": 3485, "ELE": 3640, "FLG": 2890, "LAB": 2680}

// cast are the people with a part to play, by unit; the rest get names from
// the lists.
var cast = map[string][]string{
	"Plate shop":      {"Ines Okonjo", "Haruki Lindqvist"},
	"Paint line":      {"Ruth Adeyemi", "Solveig Marsh"},
	"Gantry crew A":   {"Anders Whitlock"},
	"Gantry crew B":   {"Wren Halloran", "Tomasz Brandt"},
	"Harbour crew":    {"Marisol Quaye", "Dao Pham"},
	"Night lane crew": {"Kofi Larkin"},
	"Drawing office":  {"Ottilie Leander"},
}

var givenNames = []string{
	"Abena", "Adil", "Aiko", "Alma", "Amir", "Anouk", "Arjun", "Ayşe", "Bao", "Beatriz", "Bram", "Carys",
	"Chidi", "Clara", "Dalia", "Dario",
	"Deniz", "Edda", "Elif", "Emeka", "Esther", "Farah", "Fergus", "Fumi", "Goran", "Greta", "Hana", "Hugo",
	"Ida", "Ilir", "Ishaan", "Iben",
	"Ivo", "Ikem", "Kaia", "Kavya", "Keanu", "Lars", "Lene", "Linh", "Luca", "Magda", "Mateo", "Mei", "Milos", "Nadia", "Naveen", "Nuala",
	"Olu", "Otto", "Pilar", "Priya", "Quinn", "Rafa", "Rana", "Rosa", "Samir", "Sefa", "Sunniva", "Tariq", "Teuta", "Tuan",
	"Uma", "Viggo", "Yara", "Zofia",
}

var familyNames = []string{
	"Abara", "Ashgrove", "Banerji", "Bexley", "Calderwood", "Castelnau", "Dragovic", "Eberhart", "Elmhurst", "Farouk", "Fjeld",
	"Garrick", "Halvorsen", "Hinata",
	"Ibekwe", "Jansons", "Kaplan", "Kestrel", "Kowalik", "Lammers", "Lusk", "Mbeki", "Mendoza", "Moreau", "Nakatani", "Nyström",
	"Oduya", "Orsini", "Paquin",
	"Pereira", "Quillfeather", "Rasmussen", "Reyes", "Saarinen", "Sandoval", "Sarkis", "Tanaka", "Thornbury", "Ugarte", "Vance", "Vu",
	"Wexler", "Winterbourne", "Xu", "Yilmaz", "Zelenko",
}

// officeGrants is what those of the office may do beyond their level.
var officeGrants = map[string][]string{
	"Mira Castellane": {"run_payroll"},
	"Sana Verity":     {"run_payroll"},
}

// officeSpecs don't clock: they run the place.
var officeSpecs = []struct{ name, level string }{
	{"Orla Ebbwater", "owner"}, {"Mira Castellane", "manager"}, {"Piet Donoghue", "manager"}, {"Sana Verity", "manager"},
}
