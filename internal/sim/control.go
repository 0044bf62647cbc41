package sim

import (
	"encoding/json"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
)

// control is the API by which drills break and mend things, and by which the
// demo learns what there is.
func (e *Estate) control() http.Handler {
	r := chi.NewRouter()
	r.Get("/estate", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, http.StatusOK, e.Devices) })
	r.Get("/silent", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, http.StatusOK, e.silent(time.Now())) })
	r.Get("/faults", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, http.StatusOK, e.faults.list()) })
	r.Post("/faults", e.breakThing)
	r.Delete("/faults/{id}", e.mendThing)
	r.Get("/history", e.history)
	r.Get("/greetings", e.greetings)
	r.Get("/services", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, http.StatusOK, e.services) })
	r.Get("/authority", func(w http.ResponseWriter, _ *http.Request) {
		writeJSON(w, http.StatusOK, map[string]string{"pem": string(e.authority.pem)})
	})
	return r
}

// silent names the devices that do not answer at a time.
func (e *Estate) silent(now time.Time) []string {
	out := []string{}
	for _, d := range e.Devices {
		if !d.Answers(now) {
			out = append(out, d.Name)
		}
	}
	return out
}

func (e *Estate) breakThing(w http.ResponseWriter, r *http.Request) {
	var in Fault
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&in); err != nil {
		problem(w, http.StatusBadRequest, "the body is not a fault: "+err.Error())
		return
	}
	if reason := e.cannot(in); reason != "" {
		problem(w, http.StatusUnprocessableEntity, reason)
		return
	}
	fault, err := e.faults.add(in, time.Now().UTC())
	if err != nil {
		problem(w, http.StatusConflict, err.Error())
		return
	}
	writeJSON(w, http.StatusCreated, fault)
}

// cannot tells why a fault makes no sense; empty when it does.
func (e *Estate) cannot(f Fault) string {
	switch f.Kind {
	case FaultStop:
		if e.byName[f.Target] == nil {
			return "there is no device " + f.Target
		}
	case FaultFill:
		d := e.byName[f.Target]
		if d == nil || !slices.Contains(d.Volumes, f.Volume) {
			return "there is no such volume"
		}
	case FaultCut:
		if !slices.ContainsFunc(e.Devices, func(d *Device) bool { return d.Place == f.Target }) {
			return "there is no place " + f.Target
		}
	case FaultService:
		if s := e.service(f.Target); s == nil || !s.has(f.Mode) {
			return "there is no such service, or it cannot fail so"
		}
	case FaultDeskRefuses, FaultDeskHangs, FaultDeskNonsense, FaultDeskLies, FaultMailRefuses, FaultMailThinks, FaultMailHangsUp:
	default:
		return "unknown kind of fault"
	}
	return ""
}

func (e *Estate) mendThing(w http.ResponseWriter, r *http.Request) {
	id, _ := strconv.Atoi(chi.URLParam(r, "id"))
	now := time.Now().UTC()
	fault, ok := e.faults.remove(id, now)
	if !ok {
		problem(w, http.StatusNotFound, "there is no such fault")
		return
	}
	if d := e.byName[fault.Target]; d != nil && fault.Kind == FaultStop {
		d.restart.Store(now.UnixNano()) // it starts anew: counters and uptime begin again
	}
	writeJSON(w, http.StatusOK, fault)
}

func (e *Estate) history(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	address, err := netip.ParseAddr(q.Get("address"))
	d := e.Find(address)
	from, err1 := strconv.ParseInt(q.Get("from"), 10, 64)
	to, err2 := strconv.ParseInt(q.Get("to"), 10, 64)
	step, err3 := strconv.ParseInt(q.Get("step"), 10, 64)
	if err != nil || d == nil || err1 != nil || err2 != nil || err3 != nil || step < 1 || (to-from)/step > 200_000 {
		problem(w, http.StatusBadRequest, "address, from, to and step are needed")
		return
	}
	w.Header().Set("Content-Type", "text/csv")
	_ = d.writeHistory(w, time.Unix(from, 0), time.Unix(to, 0), time.Duration(step)*time.Second)
}

func writeJSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

func problem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(map[string]any{"status": status, "title": http.StatusText(status), "detail": detail})
}
