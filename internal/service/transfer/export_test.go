package transfer

// HoldMost sets how many samples an import holds.
func (s *Service) HoldMost(n int) { s.most = n }
