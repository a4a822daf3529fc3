from rdkit import Chem
from rdkit.Chem import Descriptors, AllChem
m = Chem.MolFromSmiles("CCO")
print(round(Descriptors.MolWt(m), 2), Chem.MolToSmiles(m))
h = Chem.AddHs(m)
print(AllChem.EmbedMolecule(h, randomSeed=7), h.GetNumAtoms())
from rdkit.Chem import ChemicalFeatures
from rdkit import RDConfig
import os
print(len(ChemicalFeatures.BuildFeatureFactory(os.path.join(RDConfig.RDDataDir, "BaseFeatures.fdef")).GetFeaturesForMol(m)))
