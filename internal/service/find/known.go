package find

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// known are the devices that are watched, by what they are recognised by.
type known struct {
	byIdentity, byAddress map[string]store.KnownDevice
}

func recogniser(all []store.KnownDevice) known {
	k := known{map[string]store.KnownDevice{}, map[string]store.KnownDevice{}}
	for _, d := range all {
		k.byAddress[d.Known] = d
		if d.Identity != "" {
			k.byIdentity[d.Identity] = d
		}
	}
	return k
}

// judge says whether a find is watched already, and what would change of that.
func (k known) judge(f *domain.Find, secrets map[domain.ID]store.Opened) {
	f.Verdict = domain.FindNew
	addresses := append([]string{f.Address}, f.Others...)
	d, ok := k.byIdentity[f.Identity]
	if !ok {
		i := slices.IndexFunc(addresses, func(a string) bool { _, ok := k.byAddress[a]; return ok })
		if i < 0 {
			return
		}
		d = k.byAddress[addresses[i]]
	}
	f.Verdict, f.DeviceID = domain.FindKnown, d.ID
	switch {
	case !slices.ContainsFunc(addresses, func(a string) bool { return k.byAddress[a].ID == d.ID }):
		f.Verdict, f.Proposal = domain.FindMoved, fmt.Sprintf("%s answers at %s; it is asked at %s", d.Name, f.Address, d.Address)
	case slices.Contains(addresses, d.Address) && d.Credential != 0 && f.CredentialID != 0 && f.CredentialID != d.Credential:
		f.Verdict = domain.FindMoved
		f.Proposal = fmt.Sprintf("%s answers to “%s”; it is asked with “%s”", d.Name, secrets[f.CredentialID].Name, secrets[d.Credential].Name)
	}
}

// TakeOver lets known devices be asked as a sweep found them: at another address,
// or with another credential. Their history stays with them.
func (s *Service) TakeOver(ctx context.Context, sweepID domain.ID, ids []domain.ID) error {
	all, err := s.Finds(ctx, sweepID)
	if err != nil {
		return err
	}
	var moved []domain.Find
	for _, f := range all {
		if f.Verdict == domain.FindMoved && slices.Contains(ids, f.ID) {
			moved = append(moved, f)
		}
	}
	if len(moved) != len(ids) || len(ids) == 0 {
		return domain.FieldErrors{"find_ids": "Choose finds of devices that were found to have moved."}
	}
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		for _, f := range moved {
			if err := takeOver(ctx, tx, f); err != nil {
				return err
			}
		}
		return nil
	})
	for _, f := range moved {
		if err == nil {
			err = s.adopted(ctx, f.DeviceID)
		}
	}
	return err
}

func takeOver(ctx context.Context, tx *store.Areas, f domain.Find) error {
	d, err := tx.Devices.One(ctx, f.DeviceID)
	if err != nil {
		return err
	}
	address, err := netip.ParseAddr(f.Address)
	if err != nil {
		return err
	}
	known, err := tx.Devices.Addresses(ctx, d.ID)
	if err != nil {
		return err
	}
	if !slices.Contains(append(f.Others, f.Address), d.Address.String()) && !slices.Contains(known, f.Address) {
		old := d.Address
		d.Address = address
		if err := tx.Devices.Readdress(ctx, d.ID, old, address); err != nil {
			return err
		}
		if err := tx.Devices.Update(ctx, d); err != nil {
			return err
		}
	}
	if err := bind(ctx, tx, f.CredentialID, address); err != nil {
		return err
	}
	endpoints, err := tx.Endpoints.Of(ctx, d.ID)
	if err != nil {
		return err
	}
	for _, e := range endpoints {
		if e.Way == f.Way && f.CredentialID != 0 {
			e.CredentialID = f.CredentialID
			if err := tx.Endpoints.Save(ctx, e); err != nil {
				return err
			}
		}
	}
	return tx.Finds.SetVerdict(ctx, f.ID, domain.FindAdopted, d.ID)
}

// bind lets a credential be sent to an address: a sweep has done so already, and
// was answered.
func bind(ctx context.Context, tx *store.Areas, credential domain.ID, to netip.Addr) error {
	all, err := tx.Credentials.All(ctx)
	if err != nil {
		return err
	}
	for _, c := range all {
		set, err := ranges.Read(c.Ranges)
		if c.ID != credential || err == nil && set.Contains(to) {
			continue
		}
		if err := tx.Credentials.SetRanges(ctx, c.ID, strings.TrimSpace(c.Ranges+"\n"+to.String())); err != nil {
			return err
		}
	}
	return nil
}
