"""IODDs for tests: invented devices, written as the two versions of the specification have them."""

from __future__ import annotations

DISTANCE = """\
<?xml version="1.0" encoding="UTF-8"?>
<IODevice xmlns="http://example.invalid/IODD" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">
 <DocumentInfo version="V1.2" releaseDate="2026-01-15" copyright="Pellmar Sensing"/>
 <ProfileBody>
  <DeviceIdentity vendorId="64017" vendorName="Pellmar Sensing" deviceId="5261">
   <VendorText textId="T_Vendor"/><DeviceName textId="T_Name"/><DeviceFamily textId="T_Family"/>
   <DeviceVariantCollection>
    <DeviceVariant productId="PD-20-M12"><Name textId="T_Name"/><Description textId="T_Text"/></DeviceVariant>
    <DeviceVariant productId="PD-20-CAB"><Name textId="T_Cable"/></DeviceVariant>
   </DeviceVariantCollection>
  </DeviceIdentity>
  <DeviceFunction>
   <Features blockParameter="true" dataStorage="true"/>
   <DatatypeCollection>
    <Datatype id="D_Mode" xsi:type="UIntegerT" bitLength="8">
     <SingleValue value="0"><Name textId="T_Distance"/></SingleValue>
     <SingleValue value="1"><Name textId="T_Level"/></SingleValue>
    </Datatype>
    <Datatype id="D_Measured" xsi:type="RecordT" bitLength="32">
     <RecordItem subindex="3" bitOffset="0"><SimpleDatatype xsi:type="BooleanT"/><Name textId="T_Switch1"/></RecordItem>
     <RecordItem subindex="4" bitOffset="1"><SimpleDatatype xsi:type="BooleanT"/><Name textId="T_Switch2"/></RecordItem>
     <RecordItem subindex="2" bitOffset="2">
      <SimpleDatatype xsi:type="UIntegerT" bitLength="6"/><Name textId="T_Quality"/></RecordItem>
     <RecordItem subindex="1" bitOffset="8">
      <SimpleDatatype xsi:type="IntegerT" bitLength="24">
       <ValueRange lowerValue="0" upperValue="200000"/>
       <SingleValue value="8388607"><Name textId="T_NoEcho"/></SingleValue>
      </SimpleDatatype><Name textId="T_Distance"/></RecordItem>
    </Datatype>
   </DatatypeCollection>
   <VariableCollection>
    <StdVariableRef id="V_ProductName" defaultValue="PD-20"/>
    <StdVariableRef id="V_DeviceStatus"/>
    <StdVariableRef id="V_SystemCommand">
     <SingleValue value="130"><Name textId="T_Reset"/></SingleValue></StdVariableRef>
    <Variable id="V_Mode" index="64" accessRights="rw" defaultValue="0">
     <DatatypeRef datatypeId="D_Mode"/><Name textId="T_ModeName"/></Variable>
    <Variable id="V_Limits" index="65" accessRights="rw" excludedFromDataStorage="true">
     <Datatype xsi:type="RecordT" bitLength="32">
      <RecordItem subindex="1" bitOffset="16">
       <SimpleDatatype xsi:type="UIntegerT" bitLength="16"/><Name textId="T_Near"/></RecordItem>
      <RecordItem subindex="2" bitOffset="0">
       <SimpleDatatype xsi:type="UIntegerT" bitLength="16"/><Name textId="T_Far"/></RecordItem>
     </Datatype>
     <RecordItemInfo subindex="2" defaultValue="2000"/><Name textId="T_Limits"/></Variable>
    <Variable id="V_Trend" index="66" accessRights="ro" dynamic="true">
     <Datatype xsi:type="ArrayT" count="4"><SimpleDatatype xsi:type="UIntegerT" bitLength="12"/></Datatype>
     <Name textId="T_Trend"/></Variable>
   </VariableCollection>
   <ProcessDataCollection>
    <ProcessData id="PD_Distance"><Condition variableId="V_Mode" value="0"/>
     <ProcessDataIn id="PDI_Distance" bitLength="32"><DatatypeRef datatypeId="D_Measured"/></ProcessDataIn>
     <ProcessDataOut id="PDO" bitLength="8"><Datatype xsi:type="RecordT" bitLength="8">
      <RecordItem subindex="1" bitOffset="0"><SimpleDatatype xsi:type="BooleanT">
       <SingleValue value="true"><Name textId="T_On"/></SingleValue></SimpleDatatype>
       <Name textId="T_Laser"/></RecordItem>
     </Datatype></ProcessDataOut></ProcessData>
    <ProcessData id="PD_Level"><Condition variableId="V_Mode" value="1"/>
     <ProcessDataIn id="PDI_Level" bitLength="32"><Datatype xsi:type="Float32T"/>
      <Name textId="T_Level"/></ProcessDataIn>
    </ProcessData>
   </ProcessDataCollection>
   <ErrorTypeCollection><StdErrorTypeRef code="128" additionalCode="48"/></ErrorTypeCollection>
   <EventCollection>
    <StdEventRef code="16912"/>
    <Event code="36000" type="Warning"><Name textId="T_Dirty"/><Description textId="T_DirtyText"/></Event>
   </EventCollection>
   <UserInterface>
    <MenuCollection>
     <Menu id="M_Set"><Name textId="T_Settings"/>
      <VariableRef variableId="V_Mode"/>
      <RecordItemRef variableId="V_Limits" subindex="1" gradient="0.1" unitCode="1013" displayFormat="Dec.1"/>
      <RecordItemRef variableId="V_Limits" subindex="2" gradient="0.001" unitCode="1010"/>
      <MenuRef menuId="M_More"><Condition variableId="V_Mode" value="1"/></MenuRef>
     </Menu>
     <Menu id="M_More"><Name textId="T_Level"/>
      <VariableRef variableId="V_Trend" accessRightRestriction="ro" unitCode="1999"/></Menu>
    </MenuCollection>
    <ObserverRoleMenuSet><ParameterMenu menuId="M_More"/></ObserverRoleMenuSet>
    <SpecialistRoleMenuSet><ParameterMenu menuId="M_Set"/><DiagnosisMenu menuId="M_More"/></SpecialistRoleMenuSet>
    <ProcessDataRefCollection>
     <ProcessDataRef processDataId="PDI_Distance">
      <ProcessDataRecordItemInfo subindex="1" gradient="0.1" offset="0" unitCode="1013" displayFormat="Dec.1"/>
      <ProcessDataRecordItemInfo subindex="2" gradient="1.5873" unitCode="1342"/></ProcessDataRef>
     <ProcessDataRef processDataId="PDI_Level"><ProcessDataInfo gradient="0.01" offset="-5" unitCode="1010"/>
     </ProcessDataRef>
    </ProcessDataRefCollection>
   </UserInterface>
  </DeviceFunction>
 </ProfileBody>
 <CommNetworkProfile xsi:type="IOLinkCommNetworkProfileT" iolinkRevision="V1.1">
  <TransportLayers>
   <PhysicalLayer bitrate="COM3" minCycleTime="2300" sioSupported="true">
    <Connection xsi:type="M12-4ConnectionT"><ProductRef productId="PD-20-M12"/>
     <Wire1 color="BN" function="L+"/><Wire2 color="WH" function="Other"/><Wire3 color="BU" function="L-"/>
     <Wire4 color="BK" function="C/Q"/></Connection></PhysicalLayer>
  </TransportLayers>
 </CommNetworkProfile>
 <ExternalTextCollection>
  <PrimaryLanguage xml:lang="de">
   <Text id="T_Vendor" value="Pellmar"/><Text id="T_Name" value="Abstandssensor PD-20"/>
   <Text id="T_Cable" value="Abstandssensor mit Kabel"/><Text id="T_Family" value="Abstand"/>
   <Text id="T_Text" value="Laser, 20 m"/><Text id="T_Distance" value="Abstand"/><Text id="T_Level" value="Pegel"/>
   <Text id="T_Switch1" value="Schaltausgang 1"/><Text id="T_Switch2" value="Schaltausgang 2"/>
   <Text id="T_Quality" value="Güte"/><Text id="T_NoEcho" value="kein Echo"/><Text id="T_Reset" value="Werkszustand"/>
   <Text id="T_ModeName" value="Messart"/><Text id="T_Near" value="nah"/><Text id="T_Far" value="fern"/>
   <Text id="T_Limits" value="Grenzen"/><Text id="T_Trend" value="Verlauf"/><Text id="T_On" value="an"/>
   <Text id="T_Laser" value="Laser"/><Text id="T_Dirty" value="verschmutzt"/><Text id="T_DirtyText" value="putzen"/>
   <Text id="T_Settings" value="Einstellungen"/>
  </PrimaryLanguage>
  <Language xml:lang="en">
   <Text id="T_Name" value="Distance sensor PD-20"/><Text id="T_Cable" value="Distance sensor with cable"/>
   <Text id="T_Distance" value="Distance"/><Text id="T_Level" value="Level"/><Text id="T_Switch1" value="Switch 1"/>
   <Text id="T_Switch2" value="Switch 2"/><Text id="T_Quality" value="Quality"/><Text id="T_NoEcho" value="no echo"/>
   <Text id="T_Reset" value="Restore factory settings"/><Text id="T_ModeName" value="Measures"/>
   <Text id="T_Near" value="Near"/><Text id="T_Far" value="Far"/><Text id="T_Limits" value="Limits"/>
   <Text id="T_Trend" value="Trend"/><Text id="T_On" value="on"/><Text id="T_Dirty" value="Window dirty"/>
   <Text id="T_DirtyText" value="Clean the window."/><Text id="T_Settings" value="Settings"/>
  </Language>
 </ExternalTextCollection>
</IODevice>
"""

# As 1.0.1 has it: baudrate, ProductName and ProductText, no profile type of its own.
OLDER = """\
<?xml version="1.0" encoding="UTF-8"?>
<io:IODevice xmlns:io="http://example.invalid/IODD/1.0.1" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">
 <io:ProfileBody>
  <io:DeviceIdentity vendorId="64017" vendorName="Pellmar Sensing" deviceId="77">
   <io:DeviceVariantCollection>
    <io:DeviceVariant productId="PT-1"><io:ProductName textId="T_N"/><io:ProductText textId="T_T"/></io:DeviceVariant>
   </io:DeviceVariantCollection>
  </io:DeviceIdentity>
  <io:DeviceFunction>
   <io:ProcessDataCollection>
    <io:ProcessData id="PD"><io:ProcessDataIn id="PDI" bitLength="16">
     <io:Datatype xsi:type="io:IntegerT" bitLength="16"/><io:Name textId="T_Temp"/></io:ProcessDataIn></io:ProcessData>
   </io:ProcessDataCollection>
  </io:DeviceFunction>
 </io:ProfileBody>
 <io:CommNetworkProfile iolinkRevision="V1.0">
  <io:TransportLayers><io:PhysicalLayer baudrate="COM2" minCycleTime="10000" sioSupported="false"/></io:TransportLayers>
 </io:CommNetworkProfile>
 <io:ExternalTextCollection><io:PrimaryLanguage xml:lang="en">
  <io:Text id="T_N" value="Temperature probe"/><io:Text id="T_T" value="Probe"/>
  <io:Text id="T_Temp" value="Temperature"/>
 </io:PrimaryLanguage></io:ExternalTextCollection>
</io:IODevice>
"""
